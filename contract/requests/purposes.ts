import 'reflect-metadata';
import { Type } from 'class-transformer';
import { ArrayMaxSize, IsArray, IsIn, Matches, MaxLength, ValidateNested } from 'class-validator';
import { certainties, patternText, type Certainty } from '@keen-larder/core/apps/purposes/purposes.ts';
import { IsPrintable } from './fields.ts';

export class PurposeEntry {
  @MaxLength(255)
  @Matches(patternText, {
    message:
      'each pattern must be a package, such as example.ferrytimes, or the beginning of some with * behind it',
  })
  pattern!: string;

  @IsPrintable(1, 40)
  kind!: string;

  @IsPrintable(1, 200)
  purpose!: string;

  @IsPrintable(0, 200)
  dependents!: string;

  @IsIn(certainties)
  certainty!: Certainty;
}

/** The whole list of what pre-installed apps are for. */
export class PurposesChange {
  @IsArray()
  @ArrayMaxSize(5000)
  @ValidateNested({ each: true })
  @Type(() => PurposeEntry)
  purposes!: PurposeEntry[];
}
