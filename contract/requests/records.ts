import 'reflect-metadata';
import { ArrayMaxSize, ArrayUnique, IsArray, IsIn, IsOptional, IsString, MaxLength } from 'class-validator';
import { recordKindIds, type RecordKindId } from '@keen-larder/core/records/kinds.ts';
import { AreTicks, IsSheetMark, ArmsRun } from './fields.ts';

export class KeepingRecordsRequest {
  @IsArray()
  @ArrayUnique()
  @IsIn(recordKindIds, { each: true })
  kinds!: RecordKindId[];
}

export class KeepingRecordsStart extends KeepingRecordsRequest {
  @AreTicks()
  confirmed!: string[];

  @IsSheetMark()
  seen?: string;
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

  @IsSheetMark()
  seen?: string;

  /** The last four characters of the phone's serial, as typed; only where records on the phone are replaced. */
  @IsOptional()
  @ArmsRun()
  armedWith?: string;
}
