import { linesOf } from '../../bytes/lines.ts';
import { tagsIn } from '../../bytes/xml-tags.ts';

/** Modes of operations as the shell names them (AOSP frameworks/base, AppOpsManager.MODE_NAMES). */
const opModes: ReadonlySet<string> = new Set(['allow', 'ignore', 'deny', 'foreground', 'default']);
/** What an app has by default does not need saying; what only its owner gives does (AOSP, AppOpsManager.OP_…, from memory). */
const givenByHand: ReadonlySet<string> = new Set([
  ...['SYSTEM_ALERT_WINDOW', 'WRITE_SETTINGS', 'GET_USAGE_STATS', 'REQUEST_INSTALL_PACKAGES'],
  ...['MANAGE_EXTERNAL_STORAGE', 'MANAGE_MEDIA', 'SCHEDULE_EXACT_ALARM', 'USE_FULL_SCREEN_INTENT'],
]);

/**
 * What `cmd appops get PACKAGE` prints (AOSP, AppOpsService.Shell): `CAMERA: ignore; rejectTime=+2d3h`, a line an operation. Modes of
 * the whole uid follow from permissions, and are left out; so is what is allowed by default.
 * @returns undefined for another text
 */
export function opsIn(text: string): Record<string, string> | undefined {
  const found: Record<string, string> = {};
  let isKnown = text.trim() === '' || text.includes('No operations');
  for (const line of linesOf(text)) {
    const [, uid, name, mode] = /^(Uid mode: )?([A-Z][A-Z0-9_]*): ([a-z]+)/.exec(line.trim()) ?? [];
    if (name === undefined || !opModes.has(mode!)) continue;
    isKnown = true;
    if (uid !== undefined || mode === 'default') continue;
    if (mode !== 'allow' || givenByHand.has(name)) found[name] = mode!;
  }
  return isKnown ? found : undefined;
}

/** The ids of apps in `settings_ssaid.xml`, by package (AOSP, SettingsState; the name of each is a uid since Android 8). */
export function androidIdsIn(xml: string): Map<string, { readonly uid: number; readonly id: string }> {
  const found = new Map<string, { uid: number; id: string }>();
  for (const { attributes } of tagsIn(xml, 'setting')) {
    const [uid, id, name] = ['name', 'value', 'package'].map((key) => attributes.get(key) ?? '');
    if (/^\d+$/.test(uid!) && /^[0-9a-f]{16}$/.test(id!)) found.set(name!, { uid: Number(uid), id: id! });
  }
  return found;
}

/**
 * The same file with an app's id as it was; its other entries stay.
 * @returns undefined where the text is no such file
 */
export function withAndroidId(
  xml: string,
  { package: name, uid, id }: { readonly package: string; readonly uid: number; readonly id: string },
): string | undefined {
  const end = xml.lastIndexOf('</settings>');
  if (end < 0) return undefined;
  let highest = 0;
  for (const { attributes } of tagsIn(xml, 'setting'))
    highest = Math.max(highest, Number(attributes.get('id')) || 0);
  const entry = `<setting id="${highest + 1}" name="${uid}" value="${id}" package="${name}" defaultValue="${id}" defaultSysSet="true" />`;
  const isOther = (tag: string) => !tag.includes(` name="${uid}"`) && !tag.includes(` package="${name}"`);
  const kept = xml
    .slice(0, end)
    .replace(/[ \t]*<setting [^>]*?(?:\/>|>\s*<\/setting>)\n?/g, (tag) => (isOther(tag) ? tag : ''));
  return `${kept}${kept.endsWith('\n') ? '' : '\n'}  ${entry}\n</settings>\n`;
}

/** Who holds which roles, by package, in short names: `roles.xml` (AOSP, RolesPersistence). */
export function rolesIn(xml: string): Map<string, string[]> {
  const found = new Map<string, string[]>();
  for (const [, role, held] of xml.matchAll(
    /<role name="android\.app\.role\.([A-Z_]+)"[^>]*(?<!\/)>([^]*?)<\/role>/g,
  ))
    for (const { attributes } of tagsIn(held!, 'holder')) {
      const name = attributes.get('name') ?? '';
      found.set(name, [...(found.get(name) ?? []), role!]);
    }
  return found;
}

/** Components in a setting, with colons between; `null` is none. A short class stands for one of the package. */
export const componentsIn = (setting: string): string[] =>
  setting
    .trim()
    .split(':')
    .filter((each) => each.includes('/'))
    .map((each) => each.replace(/^([^/]+)\/\./, '$1/$1.'));

export const packageOfComponent = (component: string): string => component.slice(0, component.indexOf('/'));

/** Whom the battery saver spares: lines `user,PACKAGE,UID` of `cmd deviceidle whitelist` (AOSP, DeviceIdleController.Shell). */
export function exemptIn(text: string): Set<string> | undefined {
  const rows = [...linesOf(text)].map((line) => line.trim().split(','));
  const known = rows.filter(([kind]) => kind === 'user' || kind?.startsWith('system'));
  if (known.length === 0 && text.trim() !== '') return undefined;
  return new Set(known.filter(([kind]) => kind === 'user').map(([, name]) => name!));
}

/** `Locales for PACKAGE for user 0 are [de-DE,en]` (AOSP, LocaleManagerShellCommand). @returns empty where it has none */
export const languagesIn = (text: string): string | undefined => / are \[([^\]]*)\]/.exec(text)?.[1];

/** How many widgets each package has on home screens: `appwidgets.xml` (AOSP, AppWidgetServiceImpl; tags `p` of providers, `g` of widgets). */
export function widgetsIn(xml: string): Map<string, number> {
  const providers = new Map<string, string>();
  for (const { attributes } of tagsIn(xml, 'p')) {
    const [tag, name] = [attributes.get('tag'), attributes.get('pkg')];
    if (tag !== undefined && name !== undefined) providers.set(tag, name);
  }
  const found = new Map<string, number>();
  for (const { attributes } of tagsIn(xml, 'g')) {
    const name = providers.get(attributes.get('p') ?? '');
    if (name !== undefined) found.set(name, (found.get(name) ?? 0) + 1);
  }
  return found;
}
