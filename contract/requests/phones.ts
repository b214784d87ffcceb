import 'reflect-metadata';
import { IsBoolean, IsIn, Matches } from 'class-validator';
import { phoneModes, type PhoneMode } from '@keen-larder/core/phone/modes.ts';
import { AreTicks, IsSheetMark, ArmsRun, IsPrintable } from './fields.ts';

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

/** Pairing with a phone that shows a code for wireless debugging. */
export class PairingRequest extends AddressRequest {
  @Matches(/^\d{6}$/, { message: 'the code has six digits' })
  code!: string;
}

/** A model of phone, which firmware is for. */
export class ModelNamed {
  @IsPrintable(1, 60)
  maker!: string;

  @IsPrintable(1, 60)
  model!: string;
}

/** A phone that the larder does not know yet. */
export class NewPhone extends ModelNamed {
  @IsPrintable(1, 60)
  nickname!: string;
}

export class LockingRequest {
  /** Locked, or unlocked. */
  @IsBoolean()
  lock!: boolean;
}

export class LockingStart extends LockingRequest {
  @AreTicks()
  confirmed!: string[];

  @IsSheetMark()
  seen?: string;

  /** The last four characters of the phone's serial, as typed. */
  @ArmsRun()
  armedWith!: string;
}

export class ErasingStart {
  /** The last four characters of the phone's serial, as typed. */
  @ArmsRun()
  armedWith!: string;
}
