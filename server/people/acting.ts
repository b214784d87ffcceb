import { AsyncLocalStorage } from 'node:async_hooks';

const acting = new AsyncLocalStorage<string | undefined>();

/** Does something in somebody's name: what it starts knows whose it is. @param name undefined where nobody has signed in */
export const inNameOf = <T>(name: string | undefined, work: () => T): T => acting.run(name, work);

/** The operator in whose name something is done; undefined where nobody has signed in, and for what the program does by itself. */
export const actingName = (): string | undefined => acting.getStore();
