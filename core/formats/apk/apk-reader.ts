import { FormatError } from '../../bytes/format-error.ts';
import type { ByteSource } from '../../bytes/source.ts';
import { definedClasses } from '../dex/dex.ts';
import { readBinaryXml } from './binary-xml.ts';
import { manifestOf, type ApkManifest, type NumberOrResource, type TextOrResource } from './manifest.ts';
import { platformStrings } from './platform-strings.ts';
import { Resources, type ResourceValue } from './resources.ts';
import { readSigning, type Signing } from './signing.ts';
import { readZipDirectory, readZipEntry, type ZipDirectory } from './zip.ts';

/** What an APK says of itself. */
export interface Apk extends Omit<
  ApkManifest,
  'label' | 'icon' | 'versionCode' | 'versionCodeMajor' | 'versionName'
> {
  /** With the major part in the upper 32 bits. */
  readonly versionCode: number;
  readonly versionName?: string;
  /** What people call it; its package where it has no label. */
  readonly label: string;
  /** Path of its icon in the archive, where that is a picture. */
  readonly iconPath?: string;
  /** Processor ABIs that it has native libraries for; empty where it has none. */
  readonly abis: readonly string[];
  readonly signing?: Signing;
}

const mostManifestBytes = 4 << 20;
const mostResourcesBytes = 64 << 20;
const mostIconBytes = 1 << 20;
const mostCodeBytes = 64 << 20;
/** Sharp on a bench computer's screen. */
const wantedDensity = 320;

/**
 * Reads an APK: manifest, versions, label, icon's path, ABIs and signers (Android, public documentation of the APK
 * formats; AOSP ResourceTypes.h). Label and icon are of the default configuration, or of English where that
 * has none.
 * @throws FormatError
 */
export async function readApk(source: ByteSource): Promise<Apk> {
  const zip = await readZipDirectory(source);
  const manifest = manifestOf(
    readBinaryXml(await entry(source, zip, 'AndroidManifest.xml', mostManifestBytes)),
  );
  const { label, icon, versionCode, versionCodeMajor, versionName, ...rest } = manifest;
  const named = [label, icon, versionCode, versionCodeMajor, versionName].some(
    (value) => typeof value === 'object' && 'resource' in value,
  );
  // Who names resources of the platform alone has none.
  const table = named && zip.entries.find(({ name }) => name === 'resources.arsc');
  const resources = table ? new Resources(await readZipEntry(source, table, mostResourcesBytes)) : undefined;
  const textAlone = (text: string): readonly ResourceValue[] => [{ language: '', density: 0, text }];
  const valuesOf = (value: TextOrResource | undefined): readonly ResourceValue[] => {
    if (!value) return [];
    if ('text' in value) return textAlone(value.text);
    const ofPlatform = platformStrings.get(value.resource);
    return ofPlatform === undefined ? (resources?.values(value.resource) ?? []) : textAlone(ofPlatform);
  };
  const numberOf = (value: NumberOrResource): number =>
    typeof value === 'number' ? value : Number.parseInt(labelAmong(valuesOf(value)) ?? '', 10) || 0;
  const name = labelAmong(valuesOf(versionName));
  const iconPath = pictureAmong(valuesOf(icon));
  const signing = await readSigning(source, zip);
  return {
    ...rest,
    versionCode: numberOf(versionCodeMajor) * 2 ** 32 + numberOf(versionCode),
    ...(name !== undefined && { versionName: name }),
    label: labelAmong(valuesOf(label)) ?? rest.package,
    ...(iconPath && { iconPath }),
    abis: abisOf(zip),
    ...(signing && { signing }),
  };
}

/**
 * Names of all classes whose code an APK brings along, however many files of code it has.
 * @throws FormatError
 */
export async function readClasses(source: ByteSource): Promise<string[]> {
  const zip = await readZipDirectory(source);
  const names: string[] = [];
  for (const each of zip.entries.filter(({ name }) => /^classes\d*\.dex$/.test(name))) {
    for (const name of definedClasses(await readZipEntry(source, each, mostCodeBytes))) names.push(name);
  }
  return names;
}

/** The bytes of an APK's icon. @throws FormatError */
export async function readIcon(source: ByteSource, iconPath: string): Promise<Uint8Array> {
  return entry(source, await readZipDirectory(source), iconPath, mostIconBytes);
}

async function entry(source: ByteSource, zip: ZipDirectory, name: string, most: number): Promise<Uint8Array> {
  const found = zip.entries.find((each) => each.name === name);
  if (!found) throw new FormatError('apk', 'entry', zip.directoryOffset, `there is no ${name} in it`);
  return readZipEntry(source, found, most);
}

const labelAmong = (values: readonly ResourceValue[]): string | undefined =>
  (
    values.find(({ language }) => language === '') ??
    values.find(({ language }) => language === 'en') ??
    values[0]
  )?.text;

/** The picture whose density is nearest to the one wanted; a drawing in XML is none. */
const pictureAmong = (values: readonly ResourceValue[]): string | undefined =>
  values
    .filter(({ text }) => /\.(png|webp|jpe?g)$/i.test(text))
    .sort((a, b) => Math.abs(a.density - wantedDensity) - Math.abs(b.density - wantedDensity))[0]?.text;

const abisOf = ({ entries }: ZipDirectory): string[] =>
  [...new Set(entries.flatMap(({ name }) => /^lib\/([^/]+)\/[^/]+$/.exec(name)?.[1] ?? []))].sort();
