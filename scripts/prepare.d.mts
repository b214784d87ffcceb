export const root: string;
export function buildInterface(): Promise<void>;
