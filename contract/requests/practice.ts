import 'reflect-metadata';
import {
  Equals,
  IsBoolean,
  IsIn,
  IsInt,
  IsOptional,
  IsString,
  Matches,
  Max,
  MaxLength,
  Min,
} from 'class-validator';
import { phoneModes, type PhoneMode } from '@keen-larder/core/phone/modes.ts';
import { partitionName } from './fields.ts';

/** The cable goes in or out. */
export class CableAction {
  @Equals('cable')
  do!: 'cable';

  @IsBoolean()
  in!: boolean;
}

/** The cable comes out once so many more bytes have gone over it. */
export class PullAfterAction {
  @Equals('pull-after')
  do!: 'pull-after';

  @IsInt()
  @Min(1)
  bytes!: number;
}

export class PowerAction {
  @Equals('power')
  do!: 'power';

  @IsBoolean()
  on!: boolean;
}

/** The keys that lead into a mode are held. */
export class KeysAction {
  @Equals('keys')
  do!: 'keys';

  @IsIn(phoneModes)
  into!: PhoneMode;
}

export class BatteryAction {
  @Equals('battery')
  do!: 'battery';

  @IsInt()
  @Min(1)
  @Max(100)
  percent!: number;

  @IsBoolean()
  chargesOnCable!: boolean;
}

/** Firmware that does not start is put on. */
export class BreakAction {
  @Equals('break')
  do!: 'break';

  @IsString()
  @MaxLength(40)
  build!: string;
}

/** Firmware that starts is put on. */
export class InstallAction {
  @Equals('install')
  do!: 'install';

  @IsString()
  @MaxLength(40)
  build!: string;
}

/** Somebody uses the phone for some days. */
export class UseAction {
  @Equals('use')
  do!: 'use';

  @IsOptional()
  @IsInt()
  @Min(1)
  @Max(31)
  days?: number;
}

/** It has as many apps as a phone that was in use for long. */
export class FillAction {
  @Equals('fill')
  do!: 'fill';
}

/** Other people have apps on it: a work profile, and a second user. */
export class ShareAction {
  @Equals('share')
  do!: 'share';
}

export class ResetAction {
  @Equals('reset')
  do!: 'reset';
}

export class FaultAction {
  @Equals('fault')
  do!: 'fault';

  @IsString()
  @MaxLength(40)
  fault!: string;

  /** Of the fault's places. */
  @IsOptional()
  @IsInt()
  @Min(1)
  seed?: number;

  @IsOptional()
  @Matches(partitionName)
  partition?: string;
}

/** What the phone's screen asks is answered with yes. */
export class AllowAction {
  @Equals('allow')
  do!: 'allow';

  /** Typed there, for a backup. */
  @IsOptional()
  @IsString()
  @MaxLength(200)
  password?: string;
}

export class RefuseAction {
  @Equals('refuse')
  do!: 'refuse';
}

/** Another program takes the phone's link. */
export class HoldAction {
  @Equals('hold')
  do!: 'hold';
}

/** All that was broken on purpose is whole again. */
export class MendAction {
  @Equals('mend')
  do!: 'mend';
}

const kinds = {
  cable: CableAction,
  'pull-after': PullAfterAction,
  power: PowerAction,
  keys: KeysAction,
  battery: BatteryAction,
  break: BreakAction,
  install: InstallAction,
  use: UseAction,
  fill: FillAction,
  share: ShareAction,
  reset: ResetAction,
  fault: FaultAction,
  allow: AllowAction,
  refuse: RefuseAction,
  hold: HoldAction,
  mend: MendAction,
} as const;

/** One control of the practice bench; `do` says which. */
export type PracticeAction = InstanceType<(typeof kinds)[keyof typeof kinds]>;

/** The class of an action by its `do`; undefined when there is no such control. */
export function practiceActionKind(body: unknown): (new () => PracticeAction) | undefined {
  const { do: name } = (body ?? {}) as { readonly do?: unknown };
  return typeof name === 'string' && Object.hasOwn(kinds, name)
    ? kinds[name as keyof typeof kinds]
    : undefined;
}
