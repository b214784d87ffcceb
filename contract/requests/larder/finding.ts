import 'reflect-metadata';
import { IsBoolean, IsString, MaxLength } from 'class-validator';
import { longestQuery } from '@keen-larder/core/larder/finding.ts';

export class FindRequest {
  @IsString()
  @MaxLength(longestQuery)
  q!: string;
}

export class NameIndexChange {
  /** Whether names of files within user data are written down. */
  @IsBoolean()
  userData!: boolean;
}
