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
import {
  exportForms,
  exportPackings,
  type ExportForm,
  type ExportPacking,
} from '@keen-larder/core/larder/export-plan.ts';
import { maxLabelLength } from '@keen-larder/core/larder/label.ts';
import { phoneModes, type PhoneMode } from '@keen-larder/core/phone/modes.ts';

const maxPartitions = 512;
const partitionName = /^[A-Za-z0-9_.+-]{1,72}$/;
const printable = /^[^\p{Cc}]*$/u;

export class RestartRequest {
  @IsIn(phoneModes)
  into!: PhoneMode;
}

export class PhoneChange {
  @IsString()
  @Length(1, 60)
  @Matches(printable)
  nickname!: string;
}

export class AddressRequest {
  @IsString()
  @Length(3, 120)
  @Matches(printable)
  address!: string;
}

export class ImagingRequest {
  @IsArray()
  @ArrayUnique()
  @ArrayMaxSize(maxPartitions)
  @Matches(partitionName, { each: true })
  picked!: string[];

  @IsString()
  @MaxLength(maxLabelLength)
  @Matches(printable)
  label!: string;

  /** The mode that the run sends the phone into before it reads. */
  @IsOptional()
  @IsIn(phoneModes)
  restartInto?: PhoneMode;

  /** Partitions of which only the blocks in use are read. */
  @IsOptional()
  @IsArray()
  @ArrayMaxSize(maxPartitions)
  @Matches(partitionName, { each: true })
  usedOnly?: string[];

  /** Reads everything, also what the phone's digest says is as it was last kept. */
  @IsOptional()
  @IsBoolean()
  readAll?: boolean;
}

export class ImagingStart extends ImagingRequest {
  /** Ids of the checks that were ticked. */
  @IsArray()
  @IsString({ each: true })
  confirmed!: string[];
}

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

  /** What is about to be overwritten and is nowhere kept is imaged first. */
  @IsOptional()
  @IsBoolean()
  keepFirst?: boolean;
}

export class RestoringStart extends RestoringRequest {
  @IsArray()
  @IsString({ each: true })
  confirmed!: string[];

  /** The last four characters of the phone's serial, as typed. */
  @IsString()
  @MaxLength(16)
  armedWith!: string;
}

export class LockingRequest {
  /** Locked, or unlocked. */
  @IsBoolean()
  lock!: boolean;
}

export class LockingStart extends LockingRequest {
  @IsArray()
  @IsString({ each: true })
  confirmed!: string[];

  /** The last four characters of the phone's serial, as typed. */
  @IsString()
  @MaxLength(16)
  armedWith!: string;
}

/** Some partitions, or all when left out. */
class SomePartitions {
  @IsOptional()
  @IsArray()
  @ArrayUnique()
  @ArrayMaxSize(maxPartitions)
  @ArrayMinSize(1)
  @Matches(partitionName, { each: true })
  picked?: string[];
}

/** Which partitions to compare with what is kept of them. */
export class CompareRequest extends SomePartitions {}

/** Which partition a file, named by its path, is the image of. */
export class ImportChoice {
  @IsString()
  @Length(1, 4096)
  path!: string;

  @Matches(partitionName)
  partition!: string;
}

/** A phone that the larder does not know yet. */
export class NewPhone {
  @IsString()
  @Length(1, 60)
  @Matches(printable)
  maker!: string;

  @IsString()
  @Length(1, 60)
  @Matches(printable)
  model!: string;

  @IsString()
  @Length(1, 60)
  @Matches(printable)
  nickname!: string;
}

/** What is to be made of files that came. */
export class ImportingRequest {
  @IsArray()
  @ArrayMaxSize(maxPartitions)
  @ValidateNested({ each: true })
  @Type(() => ImportChoice)
  choices!: ImportChoice[];

  @IsString()
  @MaxLength(maxLabelLength)
  @Matches(printable)
  label!: string;

  @IsString()
  @Matches(/^[A-Za-z0-9_.:-]{0,64}$/)
  serial!: string;

  @IsOptional()
  @ValidateNested()
  @Type(() => NewPhone)
  phone?: NewPhone;
}

export class ImportingStart extends ImportingRequest {
  @IsArray()
  @IsString({ each: true })
  confirmed!: string[];
}

/** How images leave the larder. */
export class ExportRequest extends SomePartitions {
  @IsIn(exportForms)
  form!: ExportForm;

  @IsIn(exportPackings)
  packing!: ExportPacking;

  /** Largest sparse file. */
  @IsOptional()
  @IsInt()
  @Min(1)
  @Max(1_048_576)
  splitMebibytes?: number;
}

/** A path within an image. */
export class InsideRequest {
  @IsString()
  @Length(1, 4096)
  path!: string;

  /** A logical partition of the image. */
  @IsOptional()
  @Matches(partitionName)
  part?: string;
}

export class SetChange {
  @IsOptional()
  @IsString()
  @Length(1, maxLabelLength)
  @Matches(printable)
  label?: string;

  @IsOptional()
  @IsString()
  @MaxLength(4000)
  note?: string;

  @IsOptional()
  @IsBoolean()
  binned?: boolean;
}

/** One control of the practice bench; which fields it needs depends on `do`. */
export class PracticeAction {
  @IsIn([
    'cable',
    'pull-after',
    'power',
    'keys',
    'battery',
    'break',
    'install',
    'use',
    'fault',
    'mend',
    'allow',
    'refuse',
    'hold',
  ])
  do!: string;

  @IsOptional()
  @IsBoolean()
  in?: boolean;

  @IsOptional()
  @IsBoolean()
  on?: boolean;

  @IsOptional()
  @IsIn(phoneModes)
  into?: PhoneMode;

  @IsOptional()
  @IsInt()
  @Min(1)
  @Max(100)
  percent?: number;

  @IsOptional()
  @IsBoolean()
  chargesOnCable?: boolean;

  @IsOptional()
  @IsString()
  @MaxLength(40)
  build?: string;

  @IsOptional()
  @IsInt()
  @Min(1)
  bytes?: number;

  @IsOptional()
  @IsString()
  @MaxLength(40)
  fault?: string;

  /** Of the fault's places. */
  @IsOptional()
  @IsInt()
  @Min(1)
  seed?: number;

  @IsOptional()
  @Matches(partitionName)
  partition?: string;
}
