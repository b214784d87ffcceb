import 'reflect-metadata';
import { Type } from 'class-transformer';
import {
  ArrayMaxSize,
  ArrayMinSize,
  ArrayUnique,
  IsArray,
  IsBoolean,
  IsIn,
  IsInt,
  IsOptional,
  IsString,
  Length,
  Matches,
  Max,
  MaxLength,
  Min,
  ValidateNested,
} from 'class-validator';
import { jobStages, type JobStage } from '@keen-larder/core/jobs/stages.ts';
import { IsPrintable, serialText } from './fields.ts';

const mostText = 4000;
const mostPhones = 20;

export class AgreedOn {
  @IsBoolean()
  keepFirst!: boolean;

  @IsBoolean()
  mayLose!: boolean;

  @IsBoolean()
  mayLook!: boolean;
}

/** What is written on a job card when a phone is received. */
export class JobDraft {
  @IsPrintable(1, 120)
  who!: string;

  @IsPrintable(0, 200)
  contact!: string;

  @IsString()
  @MaxLength(mostText)
  complaint!: string;

  @ValidateNested()
  @Type(() => AgreedOn)
  agreed!: AgreedOn;

  @IsString()
  @MaxLength(mostText)
  arrival!: string;

  @IsPrintable(0, 400)
  accessories!: string;

  @IsArray()
  @ArrayMinSize(1)
  @ArrayMaxSize(mostPhones)
  @ArrayUnique()
  @Matches(serialText, { each: true })
  serials!: string[];
}

/** What is left out stays. */
export class JobChange {
  @IsOptional()
  @IsPrintable(1, 120)
  who?: string;

  @IsOptional()
  @IsPrintable(0, 200)
  contact?: string;

  @IsOptional()
  @IsString()
  @MaxLength(mostText)
  complaint?: string;

  @IsOptional()
  @ValidateNested()
  @Type(() => AgreedOn)
  agreed?: AgreedOn;

  @IsOptional()
  @IsString()
  @MaxLength(mostText)
  arrival?: string;

  @IsOptional()
  @IsPrintable(0, 400)
  accessories?: string;

  @IsOptional()
  @IsArray()
  @ArrayMinSize(1)
  @ArrayMaxSize(mostPhones)
  @ArrayUnique()
  @Matches(serialText, { each: true })
  serials?: string[];

  @IsOptional()
  @IsIn(jobStages)
  stage?: JobStage;
}

/** What stands at the head of papers. */
export class ShopChange {
  @IsPrintable(1, 120)
  name!: string;

  /** Lines of it. */
  @IsString()
  @MaxLength(400)
  address!: string;
}

/** Runs that ended so many days ago, or before. */
export class RunsClearing {
  @IsInt()
  @Min(1)
  @Max(36_500)
  days!: number;
}

export class ReportRequest {
  @IsIn(['a4', 'letter'])
  paper!: 'a4' | 'letter';
}

/** A file that is added to a card; its bytes are the body. */
export class JobFileName {
  @IsPrintable(1, 200)
  name!: string;
}

export class JobNoteText {
  @IsString()
  @Length(1, mostText)
  text!: string;
}
