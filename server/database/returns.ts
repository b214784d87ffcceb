import type { ProofView } from '@keen-larder/contract/runs.ts';
import type { Database } from './open.ts';

/** Starts and proofs of what was put back. */
export function returnStatements(db: Database) {
  const addStart = db.prepare<[serial: string, at: number, ms: number]>(
    'INSERT OR REPLACE INTO starts (serial, at, ms) VALUES (?, ?, ?)',
  );
  const starts = db.prepare<[serial: string], { ms: number }>(
    'SELECT ms FROM starts WHERE serial = ? ORDER BY at DESC LIMIT 5',
  );
  const saveProof = db.prepare<[runId: string, proof: string]>(
    'INSERT OR REPLACE INTO proofs (runId, proof) VALUES (?, ?)',
  );
  const proof = db.prepare<[runId: string], { proof: string }>('SELECT proof FROM proofs WHERE runId = ?');
  const exists = db.prepare<[runId: string], { found: number }>(
    'SELECT 1 AS found FROM proofs WHERE runId = ?',
  );
  return {
    hasProof: (runId: string) => exists.get(runId) !== undefined,
    addStart: (serial: string, at: number, ms: number) => void addStart.run(serial, at, Math.round(ms)),
    /** In milliseconds, the newest first. */
    starts: (serial: string) => starts.all(serial).map(({ ms }) => ms),
    saveProof: (runId: string, view: ProofView) => void saveProof.run(runId, JSON.stringify(view)),
    proof: (runId: string) => {
      const row = proof.get(runId);
      return row && (JSON.parse(row.proof) as ProofView);
    },
  };
}

export type ReturnStatements = ReturnType<typeof returnStatements>;
