import { IsArray, IsInt, IsOptional, IsString, Length, Matches, Max, MaxLength, Min } from 'class-validator';

export const maxPartitions = 512;
export const maxApps = 2000;
export const partitionName = /^[A-Za-z0-9_.+-]{1,72}$/;
export const packageName = /^[A-Za-z0-9_.]{1,255}$/;
/** Empty where none is known yet. */
export const serialText = /^[A-Za-z0-9_.:-]{0,64}$/;
const printable = /^[^\p{Cc}]*$/u;

const all =
  (...decorators: readonly PropertyDecorator[]): PropertyDecorator =>
  (target, key) =>
    decorators.forEach((decorate) => decorate(target, key));

/** Ids of the checks that were ticked. */
export const AreTicks = () => all(IsArray(), IsString({ each: true }));
/** The mark of the sheet that was read before the start; left out by whoever read none. */
export const IsSheetMark = () => all(IsOptional(), IsString(), MaxLength(64));
/** A user of a phone as Android numbers them. */
export const IsUser = () => all(IsInt(), Min(0), Max(20_000));
/** The last four characters of a serial, as typed. */
export const ArmsRun = () => all(IsString(), MaxLength(16));
/** Text of so many characters without control characters. */
export const IsPrintable = (least: number, most: number) =>
  all(IsString(), Length(least, most), Matches(printable));
