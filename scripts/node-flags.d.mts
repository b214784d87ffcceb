export const environment: NodeJS.ProcessEnv;
export function flagsFor(program: string): string[];
