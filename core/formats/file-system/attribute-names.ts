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

const longestFirst = Object.entries(attributePrefixes).sort((a, b) => b[1].length - a[1].length);

/** The number of what a name begins with, and the rest of it. */
export function splitAttributeName(name: string): { readonly index: number; readonly rest: string } {
  const [index, prefix] = longestFirst.find(([, each]) => name.startsWith(each))!;
  return { index: Number(index), rest: name.slice(prefix.length) };
}
