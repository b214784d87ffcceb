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
import { appActions, type AppAction } from '@keen-larder/core/apps/built-in.ts';
import { partKinds, type PartKind } from '@keen-larder/core/apps/copies.ts';
import {
  exportForms,
  exportPackings,
  type ExportForm,
  type ExportPacking,
} from '@keen-larder/core/larder/export-plan.ts';
import { maxLabelLength } from '@keen-larder/core/larder/label.ts';
import { recordKindIds, type RecordKindId } from '@keen-larder/core/records/kinds.ts';
import { phoneModes, type PhoneMode } from '@keen-larder/core/phone/modes.ts';

const maxPartitions = 512;
const partitionName = /^[A-Za-z0-9_.+-]{1,72}$/;
const printable = /^[^\p{Cc}]*$/u;

const all =
  (...decorators: readonly PropertyDecorator[]): PropertyDecorator =>
  (target, key) =>
    decorators.forEach((decorate) => decorate(target, key));
/** Ids of the checks that were ticked. */
const AreTicks = () => all(IsArray(), IsString({ each: true }));
/** The last four characters of a serial, as typed. */
const ArmsRun = () => all(IsString(), MaxLength(16));
/** Text of so many characters without control characters. */
const IsPrintable = (least: number, most: number) => all(IsString(), Length(least, most), Matches(printable));

export class RestartRequest {
  @IsIn(phoneModes)
  into!: PhoneMode;
}

export class PhoneChange {
  @IsPrintable(1, 60)
  nickname!: string;
}

export class AddressRequest {
  @IsPrintable(3, 120)
  address!: string;
}

export class ImagingRequest {
  @IsArray()
  @ArrayUnique()
  @ArrayMaxSize(maxPartitions)
  @Matches(partitionName, { each: true })
  picked!: string[];

  @IsPrintable(0, maxLabelLength)
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
  @AreTicks()
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
  @AreTicks()
  confirmed!: string[];

  /** The last four characters of the phone's serial, as typed. */
  @ArmsRun()
  armedWith!: string;
}

/** Whole words between dots, as the names of classes begin. */
const classPrefix = /^[A-Za-z_$][\w$]*(?:\.[A-Za-z_$][\w$]*)*$/;

export class TrackerEntry {
  @IsPrintable(1, 60)
  name!: string;

  @IsPrintable(0, 200)
  purpose!: string;

  @IsArray()
  @ArrayMinSize(1)
  @ArrayMaxSize(100)
  @MaxLength(200, { each: true })
  @Matches(classPrefix, {
    each: true,
    message: 'each prefix must be words with dots between, such as example.gullcount',
  })
  prefixes!: string[];
}

/** The whole list of trackers. */
export class TrackersChange {
  @IsArray()
  @ArrayMaxSize(2000)
  @ValidateNested({ each: true })
  @Type(() => TrackerEntry)
  trackers!: TrackerEntry[];
}

const packageName = /^[A-Za-z0-9_.]{1,255}$/;
const maxApps = 2000;

/** An app, and what of it. */
export class AppParts {
  @Matches(packageName)
  package!: string;

  @IsArray()
  @ArrayUnique()
  @IsIn(partKinds, { each: true })
  parts!: PartKind[];
}

export class CopyingRequest {
  @IsArray()
  @ArrayMaxSize(maxApps)
  @ValidateNested({ each: true })
  @Type(() => AppParts)
  apps!: AppParts[];
}

export class CopyingStart extends CopyingRequest {
  @AreTicks()
  confirmed!: string[];
}

/** A kept copy of an app, and what of it goes to the phone. */
export class CopyParts {
  @IsString()
  @MaxLength(64)
  copyId!: string;

  @IsArray()
  @ArrayUnique()
  @IsIn(partKinds, { each: true })
  parts!: PartKind[];
}

export class PuttingAppsRequest {
  @IsArray()
  @ArrayMaxSize(maxApps)
  @ValidateNested({ each: true })
  @Type(() => CopyParts)
  copies!: CopyParts[];

  /** Data is put in place in recovery, since the system gives no root. */
  @IsOptional()
  @IsIn(['recovery'])
  through?: 'recovery';
}

export class PuttingAppsStart extends PuttingAppsRequest {
  @AreTicks()
  confirmed!: string[];

  /** The last four characters of the phone's serial, as typed; only where data on the phone is replaced. */
  @IsOptional()
  @ArmsRun()
  armedWith?: string;
}

export class MovingRequest extends CopyingRequest {
  /** Serial of the phone that they go to. */
  @IsPrintable(1, 64)
  to!: string;

  @IsOptional()
  @IsIn(['recovery'])
  through?: 'recovery';
}

export class MovingStart extends MovingRequest {
  @AreTicks()
  confirmed!: string[];

  /** The last four characters of the other phone's serial, as typed; only where data on it is replaced. */
  @IsOptional()
  @ArmsRun()
  armedWith?: string;
}

export class SetAsideRequest {
  @IsArray()
  @ArrayMaxSize(maxApps)
  @Matches(packageName, { each: true })
  packages!: string[];

  @IsBoolean()
  aside!: boolean;
}

export class KeepingRecordsRequest {
  @IsArray()
  @ArrayUnique()
  @IsIn(recordKindIds, { each: true })
  kinds!: RecordKindId[];
}

export class KeepingRecordsStart extends KeepingRecordsRequest {
  @AreTicks()
  confirmed!: string[];
}

export class PuttingRecordsRequest {
  /** Ids of copies of records. */
  @IsArray()
  @ArrayUnique()
  @ArrayMaxSize(recordKindIds.length)
  @IsString({ each: true })
  @MaxLength(64, { each: true })
  copies!: string[];
}

export class PuttingRecordsStart extends PuttingRecordsRequest {
  @AreTicks()
  confirmed!: string[];

  /** The last four characters of the phone's serial, as typed; only where records on the phone are replaced. */
  @IsOptional()
  @ArmsRun()
  armedWith?: string;
}

export class ChangingAppsRequest {
  @IsArray()
  @ArrayMaxSize(maxApps)
  @ArrayUnique()
  @Matches(packageName, { each: true })
  packages!: string[];

  @IsIn(appActions)
  action!: AppAction;
}

export class ChangingAppsStart extends ChangingAppsRequest {
  @AreTicks()
  confirmed!: string[];
}

export class TakingOutStart {
  @IsArray()
  @ArrayMinSize(1)
  @ArrayMaxSize(maxApps)
  @ArrayUnique()
  @Matches(packageName, { each: true })
  packages!: string[];
}

export class CopyChange {
  @IsOptional()
  @IsString()
  @MaxLength(2000)
  note?: string;

  @IsOptional()
  @IsBoolean()
  binned?: boolean;
}

export class LockingRequest {
  /** Locked, or unlocked. */
  @IsBoolean()
  lock!: boolean;
}

export class LockingStart extends LockingRequest {
  @AreTicks()
  confirmed!: string[];

  /** The last four characters of the phone's serial, as typed. */
  @ArmsRun()
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
  @IsPrintable(1, 60)
  maker!: string;

  @IsPrintable(1, 60)
  model!: string;

  @IsPrintable(1, 60)
  nickname!: string;
}

/** What is to be made of files that came. */
export class ImportingRequest {
  @IsArray()
  @ArrayMaxSize(maxPartitions)
  @ValidateNested({ each: true })
  @Type(() => ImportChoice)
  choices!: ImportChoice[];

  @IsPrintable(0, maxLabelLength)
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
  @AreTicks()
  confirmed!: string[];
}

/** Copies, by their ids. */
export class VerifyingCopies {
  @IsArray()
  @ArrayUnique()
  @ArrayMaxSize(maxApps)
  @IsString({ each: true })
  apps!: string[];

  @IsArray()
  @ArrayUnique()
  @ArrayMaxSize(maxApps)
  @IsString({ each: true })
  records!: string[];
}

/** A copy of an app, named by the path of its first file; with the app where the files do not tell it. */
export class CopyChoice {
  @IsString()
  @Length(1, 4096)
  path!: string;

  @IsOptional()
  @Matches(packageName)
  package?: string;
}

/** Which copies of apps are to be taken in from files, and of which phone they are. */
export class ImportingAppsRequest {
  @IsArray()
  @ArrayMaxSize(maxApps)
  @ValidateNested({ each: true })
  @Type(() => CopyChoice)
  choices!: CopyChoice[];

  @IsString()
  @Matches(/^[A-Za-z0-9_.:-]{0,64}$/)
  serial!: string;

  @IsOptional()
  @ValidateNested()
  @Type(() => NewPhone)
  phone?: NewPhone;
}

export class ImportingAppsStart extends ImportingAppsRequest {
  @AreTicks()
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
  @IsPrintable(1, maxLabelLength)
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
    'reset',
    'fault',
    'mend',
    'allow',
    'refuse',
    'hold',
  ])
  do!: string;

  @IsOptional()
  @IsInt()
  @Min(1)
  @Max(31)
  days?: number;

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
