import { applies, type AppAction } from '../../apps/built-in.ts';
import type { PartKind } from '../../apps/copies.ts';
import type { AppFacts } from '../../apps/facts.ts';

/** What is done with picked apps: into the larder, onto the phone, or something else on the phone. */
export type AppDoing = 'copy' | 'put-back' | 'change';

export type WhatOfApp = 'both' | 'data' | 'program';

/** Whether something can be done with an app: copied where it is installed, put back where there is a copy. */
export function isAbleTo(
  doing: AppDoing,
  action: AppAction,
  { installed, copies }: { readonly installed: AppFacts | undefined; readonly copies: readonly unknown[] },
): boolean {
  if (doing === 'put-back') return copies.length > 0;
  if (!installed) return false;
  return doing === 'copy' || applies(action, installed);
}

/** The parts of an app that a choice comes to. @param withShared also what lies on shared storage for it */
export const partsOf = (what: WhatOfApp, withShared: boolean): PartKind[] => [
  ...(what !== 'data' ? (['program'] as const) : []),
  ...(what !== 'program' ? (['data', 'device-data'] as const) : []),
  ...(what !== 'program' && withShared ? (['external', 'media', 'obb'] as const) : []),
];
