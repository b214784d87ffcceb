import { tellsUsedBlocks } from '../formats/file-system/names.ts';
import type { PartitionFacts, PhoneFacts } from '../phone/facts.ts';
import type { PhoneMode } from '../phone/modes.ts';
import type { Check } from './check.ts';

/** Everything an imaging run sheet is computed from. */
export interface ImagingFacts {
  readonly phone: PhoneFacts;
  readonly partitions: readonly PartitionFacts[];
  /** Names of the picked partitions. */
  readonly picked: readonly string[];
  readonly label: string;
  readonly larder: {
    /** Labels of the phone's sets. */
    readonly labels: readonly string[];
    /** Identity partitions of this phone that some complete set holds. */
    readonly identityKept: readonly string[];
    /** All partitions of this phone that some complete set holds. */
    readonly kept?: readonly string[];
    /** Those of which it has an image of the whole partition, in the size that it has now. */
    readonly keptWhole?: readonly string[];
  };
  readonly shelf: { readonly freeBytes: number };
  readonly bytesPerSecond: number;
  /** How fast partitions were last kept again over this cable, most of which had not changed; all of their bytes in a second. */
  readonly paces?: ReadonlyMap<string, number>;
  /** The mode that the run sends the phone into before it reads. */
  readonly restartInto?: PhoneMode;
  /** Partitions of which only the blocks in use are read. */
  readonly usedOnly?: readonly string[];
  /** Nothing is taken for unchanged: everything is read. */
  readonly readAll?: boolean;
}

export interface ImagingContext extends ImagingFacts {
  /** In which the partitions are read. */
  readonly mode: PhoneMode;
  readonly images: readonly PartitionFacts[];
  readonly bytes: number;
}

export type ImagingCheck = (context: ImagingContext) => Check[];

/** File systems whose bitmaps can be read, at rest. */
export const canReadUsedOnly = ({ fileSystem, usedBytes, archive }: PartitionFacts): boolean =>
  tellsUsedBlocks(fileSystem) && usedBytes !== undefined && !archive;
