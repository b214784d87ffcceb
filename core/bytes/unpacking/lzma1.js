// Its own types are its sources, which are not written for settings as strict as these: lzma1.d.ts stands for them.
export { decompress } from 'lzma1';
