/**
 * What is known of some apps and cannot be read from them. Common practice, no published source; the demo's are
 * as invented as its apps.
 */
interface KnownApp {
  /** Its account lives on one phone at a time. */
  readonly onePhone?: true;
  /** It refuses rooted or unlocked phones. */
  readonly checksPhone?: true;
}

const known: Readonly<Record<string, KnownApp>> = {
  'example.marshlog': { onePhone: true },
  'example.reedmessenger': { onePhone: true },
  'example.harbourchat': { onePhone: true },
  'example.dunebank': { checksPhone: true },
};

export const livesOnOnePhone = (name: string): boolean => known[name]?.onePhone ?? false;
export const checksThePhone = (name: string): boolean => known[name]?.checksPhone ?? false;
