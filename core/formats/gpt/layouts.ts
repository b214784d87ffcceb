import { ascii, layout, raw, u32, u64 } from '../../bytes/layout.ts';

/** GPT header (UEFI 2.10, 5.3.2), little endian. */
export const gptHeader = layout('gpt', {
  signature: ascii(8), // "EFI PART"
  revision: u32, // 0x00010000
  headerBytes: u32,
  headerCrc32: u32, // over headerBytes, this field zero
  reserved: u32,
  myLba: u64,
  alternateLba: u64,
  firstUsableLba: u64,
  lastUsableLba: u64,
  diskGuid: raw(16),
  partitionEntryLba: u64,
  numberOfPartitionEntries: u32,
  sizeOfPartitionEntry: u32,
  partitionEntryArrayCrc32: u32,
});

/** GPT partition entry (UEFI 2.10, 5.3.3), the first 128 bytes. */
export const gptEntry = layout('gpt', {
  partitionTypeGuid: raw(16),
  uniquePartitionGuid: raw(16),
  startingLba: u64,
  endingLba: u64, // inclusive
  attributes: u64,
  partitionName: raw(72), // UTF-16LE
});

export const gptSignature = 'EFI PART';
export const gptRevision = 0x00010000;
/** Upper bound on the entry array we accept: UEFI asks for 16 KiB; 1 MiB is beyond any real table. */
export const maxEntryArrayBytes = 1 << 20;
