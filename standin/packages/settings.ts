/**
 * The files in which a system keeps what it knows of its apps (AOSP frameworks/base, Settings.java), as this
 * phone's own system writes them: an element a line.
 */
import { packagesPath } from '@keen-larder/core/boot/boot.ts';

/** Paths within user data; grants and restrictions are a user's own. */
export const settingsFilesOf = (user: number) =>
  ({
    packages: packagesPath,
    list: '/system/packages.list',
    grants: `/system/users/${user}/runtime-permissions.xml`,
    restrictions: `/system/users/${user}/package-restrictions.xml`,
  }) as const;
/** The owner's. */
export const settingsFiles = settingsFilesOf(0);

/** What the list of packages has of an app. */
export interface PackageEntry {
  readonly name: string;
  readonly codePath: string;
  readonly userId: number;
  readonly version: number;
  readonly firstInstalledAt: number;
  readonly updatedAt: number;
  readonly installer: string | undefined;
  /** Since Android 14. */
  readonly updateOwner?: string | undefined;
}

const escaped = (text: string) => text.replace(/[.*+?^${}()|[\]\\]/g, '\\$&');

/** An element's opening tag by its name attribute. */
export const tagOf = (xml: string, element: string, name: string): string =>
  new RegExp(`<${element} [^>]*\\bname="${escaped(name)}"[^>]*>`).exec(xml)?.[0] ?? '';

/** What stands in an element. */
export const sectionOf = (xml: string, element: string, name: string): string =>
  new RegExp(`<${element} [^>]*\\bname="${escaped(name)}"[^>/]*>(.*?)</${element}>`, 's').exec(xml)?.[1] ??
  '';

export const attributeOf = (tag: string, name: string): string | undefined =>
  new RegExp(`\\b${name}="([^"]*)"`).exec(tag)?.[1];

export const withoutElement = (xml: string, element: string, name: string): string =>
  xml.replace(
    new RegExp(`\\n *<${element} [^>]*\\bname="${escaped(name)}"[^>]*(?:/>|>.*?</${element}>)`, 's'),
    '',
  );

/** An element put at the end of the document, in the place of one of the same name. */
export function withElement(xml: string, root: string, element: string, name: string, text: string): string {
  const begun = xml || `<?xml version='1.0' encoding='utf-8' standalone='yes' ?>\n<${root}>\n</${root}>\n`;
  return withoutElement(begun, element, name).replace(`\n</${root}>`, `\n${text}\n</${root}>`);
}

export const withPackage = (xml: string, entry: PackageEntry): string =>
  withElement(
    xml,
    'packages',
    'package',
    entry.name,
    `    <package name="${entry.name}" codePath="${entry.codePath}" publicFlags="945307204" privateFlags="0" ft="${entry.updatedAt.toString(16)}" it="${entry.firstInstalledAt.toString(16)}" ut="${entry.updatedAt.toString(16)}" version="${entry.version}" userId="${entry.userId}"${entry.installer ? ` installer="${entry.installer}"` : ''}${entry.updateOwner ? ` updateOwner="${entry.updateOwner}"` : ''} />`,
  );

export const withoutPackage = (xml: string, name: string): string => withoutElement(xml, 'package', name);

export const withListLine = (list: string, name: string, userId: number): string =>
  `${withoutListLine(list, name)}${name} ${userId} 0 /data/user/0/${name} default none\n`;

export const withoutListLine = (list: string, name: string): string =>
  list.replace(new RegExp(`^${escaped(name)} .*\\n`, 'm'), '');

export const withGrants = (xml: string, name: string, granted: ReadonlyMap<string, boolean>): string =>
  withElement(
    xml,
    'runtime-permissions',
    'pkg',
    name,
    [
      `  <pkg name="${name}">`,
      ...[...granted].map(
        ([permission, isGranted]) => `    <item name="${permission}" granted="${isGranted}" flags="300" />`,
      ),
      '  </pkg>',
    ].join('\n'),
  );

export const withoutGrants = (xml: string, name: string): string => withoutElement(xml, 'pkg', name);

/** How an app stands with a user. */
export interface Restriction {
  /** As the platform numbers it: 0 as in its manifest, 3 disabled by the user. */
  readonly enabled: number;
  /** False of what was removed for this user, or never installed for them. */
  readonly installed: boolean;
}

export const withRestriction = (xml: string, name: string, { enabled, installed }: Restriction): string =>
  enabled === 0 && installed
    ? withoutElement(xml, 'pkg', name)
    : withElement(
        xml,
        'package-restrictions',
        'pkg',
        name,
        `  <pkg name="${name}" inst="${installed}" enabled="${enabled}" />`,
      );

export function restrictionOf(xml: string, name: string): Restriction {
  const tag = tagOf(xml, 'pkg', name);
  return {
    enabled: Number(attributeOf(tag, 'enabled') ?? 0),
    installed: attributeOf(tag, 'inst') !== 'false',
  };
}
