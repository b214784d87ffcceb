import 'reflect-metadata';
import type { ThroughWhat } from '@keen-larder/core/runsheet/run-sheets.ts';
import { Type } from 'class-transformer';
import {
  ArrayMaxSize,
  ArrayMinSize,
  ArrayUnique,
  IsArray,
  IsBoolean,
  IsIn,
  IsOptional,
  IsString,
  Matches,
  MaxLength,
  ValidateNested,
} from 'class-validator';
import { appActions, type AppAction } from '@keen-larder/core/apps/built-in.ts';
import { partKinds, type PartKind } from '@keen-larder/core/apps/copies.ts';
import { maxApps, packageName, AreTicks, IsUser, IsSheetMark, ArmsRun, IsPrintable } from './fields.ts';

/** An app, and what of it. */
export class AppParts {
  @Matches(packageName)
  package!: string;

  @IsArray()
  @ArrayUnique()
  @IsIn(partKinds, { each: true })
  parts!: PartKind[];
}

/** Apps of a phone's owner, where nothing else is said. */
export class AppsRequest {
  @IsArray()
  @ArrayMaxSize(maxApps)
  @ValidateNested({ each: true })
  @Type(() => AppParts)
  apps!: AppParts[];
}

export class CopyingRequest extends AppsRequest {
  /** Whose apps they are, by the number that Android gave the user; the owner's where it is left out. */
  @IsOptional()
  @IsUser()
  user?: number;
}

export class CopyingStart extends CopyingRequest {
  @AreTicks()
  confirmed!: string[];

  @IsSheetMark()
  seen?: string;

  /** What is typed on the phone's screen where it asks for a password of its backup; kept nowhere. */
  @IsOptional()
  @IsString()
  @MaxLength(200)
  backupPassword?: string;
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

  /** Whose apps they are, by the number that Android gave the user; the owner's where it is left out. */
  @IsOptional()
  @IsUser()
  user?: number;

  /** How data goes, since the system gives no root. */
  @IsOptional()
  @IsIn(['recovery', 'backup'])
  through?: ThroughWhat;

  /** The ids that Android gave them go back as well: the phone restarts at the end. */
  @IsOptional()
  @IsBoolean()
  withIds?: boolean;
}

export class PuttingAppsStart extends PuttingAppsRequest {
  @AreTicks()
  confirmed!: string[];

  @IsSheetMark()
  seen?: string;

  /** What is typed on the phone's screen where it asks for a password of its backup; kept nowhere. */
  @IsOptional()
  @IsString()
  @MaxLength(200)
  backupPassword?: string;

  /** The last four characters of the phone's serial, as typed; only where data on the phone is replaced. */
  @IsOptional()
  @ArmsRun()
  armedWith?: string;
}

export class MovingRequest extends AppsRequest {
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

  @IsSheetMark()
  seen?: string;

  /** What is typed on the phone's screen where it asks for a password of its backup; kept nowhere. */
  @IsOptional()
  @IsString()
  @MaxLength(200)
  backupPassword?: string;

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

export class ChangingAppsRequest {
  @IsArray()
  @ArrayMaxSize(maxApps)
  @ArrayUnique()
  @Matches(packageName, { each: true })
  packages!: string[];

  @IsIn(appActions)
  action!: AppAction;

  /** Whose apps they are, by the number that Android gave the user; the owner's where it is left out. */
  @IsOptional()
  @IsUser()
  user?: number;
}

export class ChangingAppsStart extends ChangingAppsRequest {
  @AreTicks()
  confirmed!: string[];

  @IsSheetMark()
  seen?: string;
}

export class CopyRoutineChange {
  @IsBoolean()
  isOn!: boolean;
}

/** What apps left, by their packages. */
export class LeftoversRequest {
  @IsArray()
  @ArrayMaxSize(maxApps)
  @ArrayUnique()
  @Matches(packageName, { each: true })
  packages!: string[];

  /** Into the larder before anything is removed. */
  @IsBoolean()
  keepsFirst!: boolean;
}

export class LeftoversStart extends LeftoversRequest {
  @AreTicks()
  confirmed!: string[];

  @IsSheetMark()
  seen?: string;
}

/** Programs that wait on the phone, by their packages. */
export class WaitingRequest {
  @IsArray()
  @ArrayMaxSize(maxApps)
  @ArrayUnique()
  @Matches(packageName, { each: true })
  packages!: string[];
}

export class WaitingStart extends WaitingRequest {
  @AreTicks()
  confirmed!: string[];

  @IsSheetMark()
  seen?: string;
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

/** Copies that go into one archive for a recovery: so many as an address holds. */
export class CarryAlongRequest {
  @Matches(/^[0-9a-f-]{36}(?:,[0-9a-f-]{36}){0,299}$/, {
    message: 'copies must be the ids of one to 300 copies, with commas between them',
  })
  copies!: string;

  @IsOptional()
  @Matches(/^(?:[0-9a-f-]{36}(?:,[0-9a-f-]{36}){0,29})?$/, {
    message: 'records must be the ids of at most 30 copies of records, with commas between them',
  })
  records?: string;
}
