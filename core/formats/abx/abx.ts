export { isAbx, readAbx, settingsText } from './abx-reader.ts';
