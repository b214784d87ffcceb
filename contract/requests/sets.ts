import 'reflect-metadata';
import {
  IsBoolean,
  IsIn,
  IsInt,
  IsOptional,
  IsString,
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
import { partitionName, IsPrintable } from './fields.ts';
import { SomePartitions } from './imaging.ts';

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
