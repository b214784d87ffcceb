import 'reflect-metadata';
import { ArrayMaxSize, ArrayUnique, IsArray, IsIn, IsOptional, IsString, MaxLength } from 'class-validator';
import { onTopWays, type OnTop } from '@keen-larder/core/runsheet/run-sheets.ts';
import { AreTicks, ArmsRun, IsSheetMark } from './fields.ts';

/** Folders of shared storage that was kept. */
export class PuttingSharedRequest {
  @IsString()
  @MaxLength(64)
  setId!: string;

  /** Names; empty for the files that lie in no folder. */
  @IsArray()
  @ArrayUnique()
  @ArrayMaxSize(1000)
  @IsString({ each: true })
  @MaxLength(255, { each: true })
  folders!: string[];

  @IsIn(onTopWays)
  onTop!: OnTop;
}

export class PuttingSharedStart extends PuttingSharedRequest {
  @AreTicks()
  confirmed!: string[];

  @IsSheetMark()
  seen?: string;

  /** The last four characters of the phone's serial, as typed; only where files are replaced. */
  @IsOptional()
  @ArmsRun()
  armedWith?: string;
}
