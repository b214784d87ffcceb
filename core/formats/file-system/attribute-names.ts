/** What names of extended attributes begin with, by the numbers that Linux's file systems have for it (include/uapi/linux/xattr.h; fs/NAME/xattr.h). */
export const attributePrefixes: Readonly<Record<number, string>> = {
  1: 'user.',
  2: 'system.posix_acl_access',
  3: 'system.posix_acl_default',
  4: 'trusted.',
  6: 'security.',
  7: 'system.',
  8: 'system.richacl',
  9: 'encryption.',
  11: 'verity.',
};
