import { usualDueDays } from '@keen-larder/core/larder/due.ts';
import type { Shop } from '@keen-larder/core/jobs/report.ts';
import type { OrderRhythm } from '@keen-larder/core/larder/order-schedule.ts';
import type { Database } from './open.ts';

/** Which shelf a catalogue is of, and of which generation. */
export interface ShelfRow {
  readonly id: string;
  readonly generation: number;
  /** Marks a generation that is on its way to the shelf; null when none is. */
  readonly intent: string | null;
}

export function shelfStatements(db: Database) {
  const row = db.prepare<[], ShelfRow>('SELECT id, generation, intent FROM shelf');
  const clear = db.prepare('DELETE FROM shelf');
  const insert = db.prepare<ShelfRow>(
    'INSERT INTO shelf (id, generation, intent) VALUES (@id, @generation, @intent)',
  );
  const save = db.transaction((of: ShelfRow) => {
    clear.run();
    insert.run(of);
  });
  const seal = db.prepare<[], { value: string }>(`SELECT value FROM settings WHERE name = 'shelfSeal'`);
  const saveSeal = db.prepare<[value: string]>(
    `INSERT INTO settings (name, value) VALUES ('shelfSeal', ?) ON CONFLICT (name) DO UPDATE SET value = excluded.value`,
  );
  const dropSeal = db.prepare(`DELETE FROM settings WHERE name = 'shelfSeal'`);
  const alike = db.prepare<[], { value: string }>(`SELECT value FROM settings WHERE name = 'shelfAlike'`);
  const saveAlike = db.prepare<[value: string]>(
    `INSERT INTO settings (name, value) VALUES ('shelfAlike', ?) ON CONFLICT (name) DO UPDATE SET value = excluded.value`,
  );
  return {
    row: () => row.get(),
    save: (of: ShelfRow) => save(of),
    /** Whether all of the shelf is known to be sealed, or to be not. */
    isAlike: () => alike.get()?.value === 'true',
    saveAlike: (isAlike: boolean) => void saveAlike.run(String(isAlike)),
    /** The second copy of the shelf's seal, as JSON. */
    sealText: () => seal.get()?.value,
    saveSeal: (text: string | undefined) => void (text === undefined ? dropSeal.run() : saveSeal.run(text)),
  };
}

export type ShelfStatements = ReturnType<typeof shelfStatements>;

/** See `LarderTime`. */
export interface LarderTimeRow {
  readonly elapsedMs: number;
  readonly wallAt: number;
}

export function larderTimeStatements(db: Database) {
  const row = db.prepare<[], LarderTimeRow>('SELECT elapsedMs, wallAt FROM larderTime');
  const save = db.prepare<LarderTimeRow>(`
    INSERT INTO larderTime (one, elapsedMs, wallAt) VALUES (1, @elapsedMs, @wallAt)
    ON CONFLICT (one) DO UPDATE SET elapsedMs = excluded.elapsedMs, wallAt = excluded.wallAt`);
  return { row: () => row.get(), save: (of: LarderTimeRow) => void save.run(of) };
}

export type LarderTimeStatements = ReturnType<typeof larderTimeStatements>;

/** What the larder is set to. */
export interface LarderSettings {
  /** Names of files within user data are written down for finding them. */
  readonly namesUserData: boolean;
  /** After so many days without being kept a phone is due. */
  readonly dueDays: number;
  /** How often the rules for keeping are carried out, and since when, or when they last were; milliseconds since 1970. */
  readonly order: { readonly rhythm: OrderRhythm; readonly since: number };
  /** Whose papers they are. */
  readonly shop: Shop;
}

const usualSettings: LarderSettings = {
  namesUserData: false,
  dueDays: usualDueDays,
  order: { rhythm: 'never', since: 0 },
  shop: { name: 'Workshop', address: '' },
};

export function settingStatements(db: Database) {
  const all = db.prepare<[], { name: string; value: string }>('SELECT name, value FROM settings');
  const save = db.prepare<[name: string, value: string]>(
    'INSERT INTO settings (name, value) VALUES (?, ?) ON CONFLICT (name) DO UPDATE SET value = excluded.value',
  );
  return {
    all(): LarderSettings {
      const saved = all.all().map(({ name, value }) => [name, JSON.parse(value) as unknown]);
      return { ...usualSettings, ...(Object.fromEntries(saved) as Partial<LarderSettings>) };
    },
    save<K extends keyof LarderSettings>(name: K, value: LarderSettings[K]): void {
      save.run(name, JSON.stringify(value));
    },
  };
}

export type SettingStatements = ReturnType<typeof settingStatements>;
