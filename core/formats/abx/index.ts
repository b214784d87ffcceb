export { isAbx, readAbx, settingsText } from './read.ts';
