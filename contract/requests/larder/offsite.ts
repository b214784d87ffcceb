import 'reflect-metadata';
import { Type } from 'class-transformer';
import {
  ArrayMaxSize,
  ArrayMinSize,
  IsDefined,
  IsIn,
  IsInt,
  IsOptional,
  IsString,
  IsUrl,
  IsUUID,
  Matches,
  Max,
  MaxLength,
  Min,
  ValidateIf,
  ValidateNested,
} from 'class-validator';
import { IsPrintable } from '../fields.ts';
import { Passphrase } from './seal.ts';

export class OffsitePlace {
  /** Left out for the usual one of the region. */
  @IsOptional()
  @IsUrl({ require_tld: false, require_protocol: true, protocols: ['http', 'https'] })
  endpoint?: string;

  @IsPrintable(1, 100)
  region!: string;

  /** As the services' own rules have it. */
  @Matches(/^[a-z0-9][a-z0-9.-]{1,61}[a-z0-9]$/, {
    message: 'bucket must be 3 to 63 small letters, digits, dots and hyphens',
  })
  bucket!: string;

  /** Before the names of all objects; empty for none. */
  @IsString()
  @MaxLength(200)
  @Matches(/^(?:[A-Za-z0-9._-]+\/)*$/, { message: 'prefix must be names that end in a stroke' })
  prefix!: string;

  /** Left out where it comes from the environment, or is known already. */
  @IsOptional()
  @IsPrintable(1, 300)
  accessKeyId?: string;

  @IsOptional()
  @IsPrintable(1, 300)
  secretAccessKey?: string;
}

/** A bucket, or a folder on another disk. */
export class OffsiteStart extends Passphrase {
  @ValidateIf(({ folder }: OffsiteStart) => folder === undefined)
  @IsDefined({ message: 'name a bucket, or a folder on another disk' })
  @ValidateNested()
  @Type(() => OffsitePlace)
  place?: OffsitePlace;

  /** One of the places that exports may go to; the copy has a folder of its own there. */
  @IsOptional()
  @IsPrintable(1, 4096)
  folder?: string;

  @IsPrintable(1, 60)
  benchName!: string;
}

export class OffsiteLimits {
  /** Left out for no limit. */
  @IsOptional()
  @IsInt()
  @Min(1024)
  bytesPerSecond?: number;

  /** Hours of the day between which it goes on by itself; left out for all day. */
  @IsOptional()
  @IsInt({ each: true })
  @Min(0, { each: true })
  @Max(24, { each: true })
  @ArrayMinSize(2)
  @ArrayMaxSize(2)
  hours?: [number, number];
}

export class OffsiteThing {
  @IsUUID()
  bench!: string;

  @IsIn(['sets', 'copies', 'records'])
  kind!: 'sets' | 'copies' | 'records';

  @IsUUID()
  id!: string;
}

export class OffsiteFetch {
  @ValidateNested({ each: true })
  @Type(() => OffsiteThing)
  @ArrayMinSize(1)
  @ArrayMaxSize(10_000)
  things!: OffsiteThing[];
}

/** Sets that are to lie in the copy alone. */
export class OffsiteMove {
  @IsUUID(undefined, { each: true })
  @ArrayMinSize(1)
  @ArrayMaxSize(1000)
  sets!: string[];
}
