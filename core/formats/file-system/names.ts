/** File systems that can be looked into. */
export const fileSystemFormats = ['ext4', 'f2fs', 'erofs'] as const;
export type FileSystemFormat = (typeof fileSystemFormats)[number];

export const isFileSystem = (format: string | undefined): format is FileSystemFormat =>
  (fileSystemFormats as readonly (string | undefined)[]).includes(format);

/** Of these the blocks in use can be told from the others. */
export const tellsUsedBlocks = (format: string | undefined): format is 'ext4' | 'f2fs' =>
  format === 'ext4' || format === 'f2fs';
