import 'reflect-metadata';
import { Type } from 'class-transformer';
import {
  ArrayMaxSize,
  IsArray,
  IsBoolean,
  IsIn,
  IsOptional,
  IsString,
  Matches,
  MaxLength,
  ValidateNested,
} from 'class-validator';
import { maxPartitions, partitionName, AreTicks, IsSheetMark, ArmsRun } from './fields.ts';

/** An image of a set, and where it goes: to its own partition unless another is named. */
export class Put {
  @IsString()
  @MaxLength(64)
  setId!: string;

  @Matches(partitionName)
  partition!: string;

  @IsOptional()
  @Matches(partitionName)
  onto?: string;
}

export class RestoringRequest {
  @IsArray()
  @ArrayMaxSize(maxPartitions)
  @ValidateNested({ each: true })
  @Type(() => Put)
  puts!: Put[];

  /** The slot to make the one that starts. */
  @IsOptional()
  @IsIn(['a', 'b'])
  activate?: 'a' | 'b';

  @IsBoolean()
  restartAfter!: boolean;

  /** User data is made anew, empty, before files are put back into it. */
  @IsOptional()
  @IsBoolean()
  format?: boolean;

  /** Also what the phone has already is written. */
  @IsOptional()
  @IsBoolean()
  writeAll?: boolean;

  /** What is about to be overwritten and is nowhere kept is imaged first. */
  @IsOptional()
  @IsBoolean()
  keepFirst?: boolean;
}

export class RestoringStart extends RestoringRequest {
  @AreTicks()
  confirmed!: string[];

  @IsSheetMark()
  seen?: string;

  /** The last four characters of the phone's serial, as typed. */
  @ArmsRun()
  armedWith!: string;
}
