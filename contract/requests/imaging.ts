import 'reflect-metadata';
import {
  ArrayMaxSize,
  ArrayMinSize,
  ArrayUnique,
  IsArray,
  IsBoolean,
  IsIn,
  IsOptional,
  IsUUID,
  Matches,
} from 'class-validator';
import { maxLabelLength } from '@keen-larder/core/larder/label.ts';
import { phoneModes, type PhoneMode } from '@keen-larder/core/phone/modes.ts';
import { maxPartitions, partitionName, AreTicks, IsSheetMark, IsPrintable } from './fields.ts';

export class ImagingRequest {
  @IsArray()
  @ArrayUnique()
  @ArrayMaxSize(maxPartitions)
  @Matches(partitionName, { each: true })
  picked!: string[];

  @IsPrintable(0, maxLabelLength)
  label!: string;

  /** The mode that the run sends the phone into before it reads. */
  @IsOptional()
  @IsIn(phoneModes)
  restartInto?: PhoneMode;

  /** Partitions of which only the blocks in use are read. */
  @IsOptional()
  @IsArray()
  @ArrayMaxSize(maxPartitions)
  @Matches(partitionName, { each: true })
  usedOnly?: string[];

  /** Reads everything, also what the phone's digest says is as it was last kept. */
  @IsOptional()
  @IsBoolean()
  readAll?: boolean;
}

export class ImagingStart extends ImagingRequest {
  @AreTicks()
  confirmed!: string[];

  @IsSheetMark()
  seen?: string;
}

/** Some partitions, or all when left out. */
export class SomePartitions {
  @IsOptional()
  @IsArray()
  @ArrayUnique()
  @ArrayMaxSize(maxPartitions)
  @ArrayMinSize(1)
  @Matches(partitionName, { each: true })
  picked?: string[];
}

/** Which partitions to compare with what is kept of them; with one set, all that it has. */
export class CompareRequest extends SomePartitions {
  @IsOptional()
  @IsUUID()
  setId?: string;
}
