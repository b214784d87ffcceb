export { definedClasses } from './read.ts';
export { writeDex } from './write.ts';
