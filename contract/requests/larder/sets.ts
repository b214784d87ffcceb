import 'reflect-metadata';
import { Type } from 'class-transformer';
import {
  ArrayMaxSize,
  ArrayMinSize,
  ArrayUnique,
  IsBoolean,
  IsIn,
  IsInt,
  IsOptional,
  IsString,
  IsUUID,
  Length,
  Matches,
  Max,
  MaxLength,
  Min,
} from 'class-validator';
import {
  exportForms,
  exportPackings,
  type ExportForm,
  type ExportPacking,
} from '@keen-larder/core/larder/export-plan.ts';
import { maxLabelLength } from '@keen-larder/core/larder/label.ts';
import { leastPassphrase } from '@keen-larder/core/larder/passphrase.ts';
import { partitionName, IsPrintable } from '../fields.ts';
import { SomePartitions } from '../imaging.ts';

/** Of a query. */
export class ChangesRequest {
  /** What was told last; left out for all sets. */
  @IsOptional()
  @Type(() => Number)
  @IsInt()
  @Min(0)
  since?: number;
}

export class SetChange {
  @IsOptional()
  @IsPrintable(1, maxLabelLength)
  label?: string;

  @IsOptional()
  @IsString()
  @MaxLength(4000)
  note?: string;

  @IsOptional()
  @IsBoolean()
  binned?: boolean;

  /** Nothing lets go of what is pinned. */
  @IsOptional()
  @IsBoolean()
  pinned?: boolean;
}

/** Sets that were picked together. */
export class SomeSets {
  @IsUUID(undefined, { each: true })
  @ArrayMinSize(1)
  @ArrayMaxSize(10_000)
  @ArrayUnique()
  ids!: string[];
}

export class SomeSetsChange extends SomeSets {
  @IsOptional()
  @IsBoolean()
  binned?: boolean;

  @IsOptional()
  @IsBoolean()
  pinned?: boolean;
}

export class EmptyBin {
  /** Also removes what was freed and lies aside, instead of keeping it for some days. */
  @IsOptional()
  @IsBoolean()
  atOnce?: boolean;
}

/** How images leave the larder. */
export class ExportRequest extends SomePartitions {
  @IsIn(exportForms)
  form!: ExportForm;

  @IsIn(exportPackings)
  packing!: ExportPacking;

  /** Largest sparse file. */
  @IsOptional()
  @IsInt()
  @Min(1)
  @Max(1_048_576)
  splitMebibytes?: number;

  /** The path of one of the places where exports may go; left out for the usual one. */
  @IsOptional()
  @IsString()
  @Length(1, 4096)
  place?: string;

  /** Every file leaves sealed, as an age file that this passphrase opens. An address is no place for it: a download goes by a ticket. */
  @IsOptional()
  @IsString()
  @Length(leastPassphrase, 1000)
  passphrase?: string;

  /** Every file leaves sealed, as an age file for these public keys. */
  @IsOptional()
  @Matches(/^age1[02-9ac-hj-np-z]{58}$/, {
    each: true,
    message: 'recipients must be public keys of age, which begin with age1 and have 62 letters and digits',
  })
  @ArrayMinSize(1)
  @ArrayMaxSize(20)
  recipients?: string[];
}

/** A tree within an image. */
export class TreeRequest {
  /** A logical partition of the image; left out for the image itself. */
  @IsOptional()
  @Matches(partitionName)
  part?: string;
}

/** A path within an image. */
export class InsideRequest extends TreeRequest {
  @IsString()
  @Length(1, 4096)
  path!: string;
}

/** A folder within an image, or a page of it. */
export class FolderRequest extends InsideRequest {
  /** How many entries are passed over. */
  @IsOptional()
  @Matches(/^\d{1,9}$/)
  from?: string;

  /** Letters of the names that are wanted, whatever their case. */
  @IsOptional()
  @IsString()
  @Length(0, 255)
  named?: string;
}
