export const say = (line: string): void => void process.stdout.write(`${line}\n`);
export const complain = (line: string): void => void process.stderr.write(`${line}\n`);
