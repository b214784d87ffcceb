export { definedClasses } from './dex-reader.ts';
export { writeDex } from './dex-writer.ts';
