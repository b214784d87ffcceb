/** The new file system has no room for what was to be in it, or what was to be in it makes no sense. */
export class Ext4BuildError extends Error {
  override readonly name = 'Ext4BuildError';
}
