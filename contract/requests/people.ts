import 'reflect-metadata';
import { IsIn, IsInt, IsOptional, IsString, Length, Min } from 'class-validator';
import { Type } from 'class-transformer';
import { operatorRoles, type OperatorRole } from '../people.ts';
import { IsPrintable } from './fields.ts';

const mostPassphrase = 1000;

export class SignIn {
  @IsPrintable(1, 60)
  name!: string;

  @IsString()
  @Length(1, mostPassphrase)
  passphrase!: string;
}

export class OperatorDraft {
  @IsPrintable(1, 60)
  name!: string;

  @IsIn(operatorRoles)
  role!: OperatorRole;

  @IsString()
  @Length(1, mostPassphrase)
  passphrase!: string;
}

/** What is left out stays. */
export class OperatorChange {
  @IsOptional()
  @IsIn(operatorRoles)
  role?: OperatorRole;

  @IsOptional()
  @IsString()
  @Length(1, mostPassphrase)
  passphrase?: string;
}

/** One's own. */
export class OwnPassphrase {
  @IsString()
  @Length(1, mostPassphrase)
  before!: string;

  @IsString()
  @Length(1, mostPassphrase)
  passphrase!: string;
}

export class RecordRequest {
  /** Lines before this one. */
  @IsOptional()
  @Type(() => Number)
  @IsInt()
  @Min(1)
  before?: number;
}
