import type { Database } from './open.ts';

export function addressStatements(db: Database) {
  const add = db.prepare<[address: string, addedAt: number]>(
    'INSERT OR IGNORE INTO addresses (address, addedAt) VALUES (?, ?)',
  );
  const remove = db.prepare<[address: string]>('DELETE FROM addresses WHERE address = ?');
  const all = db.prepare<[], { address: string }>('SELECT address FROM addresses ORDER BY addedAt');
  return {
    add: (address: string, addedAt: number) => void add.run(address, addedAt),
    remove: (address: string) => remove.run(address).changes > 0,
    all: () => all.all().map(({ address }) => address),
  };
}

export type AddressStatements = ReturnType<typeof addressStatements>;
