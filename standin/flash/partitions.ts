/** A partition of a simulated model and what its flash leaves the works with. */
export interface PartitionPlan {
  readonly name: string;
  readonly kibibytes: number;
  readonly holds?:
    | { readonly template: string }
    | { readonly boot: 'boot' | 'recovery' }
    | { readonly program: number; readonly seed: number };
}

const MiB = 1024;

/** Tidewell Knot 3: single slot, eMMC with sectors of 512 bytes, 2.3 GiB in all. */
export const knot3Partitions: readonly PartitionPlan[] = [
  { name: 'sbl1', kibibytes: 1 * MiB, holds: { program: 280 * 1024, seed: 101 } },
  { name: 'aboot', kibibytes: 2 * MiB, holds: { program: 1100 * 1024, seed: 102 } },
  { name: 'tz', kibibytes: 2 * MiB, holds: { program: 900 * 1024, seed: 103 } },
  { name: 'modem', kibibytes: 64 * MiB, holds: { program: 12 * 1024 * 1024, seed: 104 } },
  { name: 'modemst1', kibibytes: 2 * MiB, holds: { program: 1536 * 1024, seed: 105 } },
  { name: 'modemst2', kibibytes: 2 * MiB, holds: { program: 1536 * 1024, seed: 106 } },
  { name: 'fsg', kibibytes: 2 * MiB, holds: { program: 1536 * 1024, seed: 107 } },
  { name: 'efs', kibibytes: 16 * MiB, holds: { template: 'efs' } },
  { name: 'persist', kibibytes: 32 * MiB, holds: { template: 'persist' } },
  { name: 'misc', kibibytes: 1 * MiB },
  { name: 'frp', kibibytes: 512, holds: { program: 32, seed: 108 } },
  { name: 'devinfo', kibibytes: 1 * MiB, holds: { program: 4096, seed: 109 } },
  { name: 'logo', kibibytes: 8 * MiB, holds: { program: 620 * 1024, seed: 110 } },
  { name: 'boot', kibibytes: 32 * MiB, holds: { boot: 'boot' } },
  { name: 'recovery', kibibytes: 32 * MiB, holds: { boot: 'recovery' } },
  { name: 'cache', kibibytes: 96 * MiB, holds: { template: 'cache' } },
  { name: 'system', kibibytes: 512 * MiB, holds: { template: 'system' } },
  { name: 'userdata', kibibytes: 1400 * MiB, holds: { template: 'userdata' } },
];
