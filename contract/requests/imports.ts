import 'reflect-metadata';
import { Type } from 'class-transformer';
import {
  ArrayMaxSize,
  IsArray,
  IsOptional,
  IsString,
  Length,
  Matches,
  ValidateNested,
} from 'class-validator';
import { maxLabelLength } from '@keen-larder/core/larder/label.ts';
import {
  maxPartitions,
  maxApps,
  partitionName,
  packageName,
  serialText,
  AreTicks,
  IsSheetMark,
  IsPrintable,
} from './fields.ts';
import { ModelNamed, NewPhone } from './phones.ts';

/** Which partition a file, named by its path, is the image of. */
export class ImportChoice {
  @IsString()
  @Length(1, 4096)
  path!: string;

  @Matches(partitionName)
  partition!: string;
}

/** What opens files that are encrypted. */
export class ImportPassphrase {
  @IsString()
  @Length(1, 1000)
  passphrase!: string;
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

  /** Of one phone; empty where they are of a model. */
  @IsString()
  @Matches(serialText)
  serial!: string;

  @IsOptional()
  @ValidateNested()
  @Type(() => NewPhone)
  phone?: NewPhone;

  /** They are firmware, of a model and not of one phone. */
  @IsOptional()
  @ValidateNested()
  @Type(() => ModelNamed)
  firmwareOf?: ModelNamed;
}

export class ImportingStart extends ImportingRequest {
  @AreTicks()
  confirmed!: string[];

  @IsSheetMark()
  seen?: string;
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
  @Matches(serialText)
  serial!: string;

  @IsOptional()
  @ValidateNested()
  @Type(() => NewPhone)
  phone?: NewPhone;
}

export class ImportingAppsStart extends ImportingAppsRequest {
  @AreTicks()
  confirmed!: string[];

  @IsSheetMark()
  seen?: string;
}
