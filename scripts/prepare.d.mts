export const root: string;
export function buildWorkers(): void;
export function buildInterface(): Promise<void>;
