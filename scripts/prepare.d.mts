export const root: string;
export function buildPrograms(): Promise<void>;
export function buildInterface(): Promise<void>;
