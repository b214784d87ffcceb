import 'reflect-metadata';
import { Type } from 'class-transformer';
import { ArrayMaxSize, ArrayMinSize, IsArray, Matches, MaxLength, ValidateNested } from 'class-validator';
import { IsPrintable } from './fields.ts';

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
