import 'reflect-metadata';
import { Type } from 'class-transformer';
import {
  ArrayMaxSize,
  ArrayMinSize,
  IsIn,
  IsInt,
  IsOptional,
  IsUUID,
  Max,
  Min,
  ValidateNested,
} from 'class-validator';
import { mostDueDays } from '@keen-larder/core/larder/due.ts';
import { orderRhythms, type OrderRhythm } from '@keen-larder/core/larder/order-schedule.ts';
import { mostMonths, mostNewest } from '@keen-larder/core/larder/keep-rules.ts';
import { IsPrintable } from '../fields.ts';

export class KeepRulesValues {
  @IsInt()
  @Min(1)
  @Max(mostNewest)
  newest!: number;

  @IsInt()
  @Min(0)
  @Max(mostMonths)
  months!: number;
}

export class KeepRulesChange {
  /** Of one phone; left out for all. */
  @IsOptional()
  @IsPrintable(1, 200)
  serial?: string;

  /** Left out to go back to the usual ones, or to those of all phones. */
  @IsOptional()
  @ValidateNested()
  @Type(() => KeepRulesValues)
  rules?: KeepRulesValues;
}

export class DueChange {
  @IsInt()
  @Min(1)
  @Max(mostDueDays)
  days!: number;
}

export class OrderScheduleChange {
  @IsIn(orderRhythms)
  rhythm!: OrderRhythm;
}

/** Sets that go into the bin, as they were shown. */
export class OrderApply {
  @IsUUID(undefined, { each: true })
  @ArrayMinSize(1)
  @ArrayMaxSize(10_000)
  ids!: string[];
}
