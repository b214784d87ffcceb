/** 7-Zip as a program of WebAssembly; it blocks the thread that it runs in. */
import { readFileSync } from 'node:fs';
import { createRequire } from 'node:module';
import { sizeText } from '@keen-larder/core/bytes/units.ts';
import sevenZip, { type SevenZipModule } from '7z-wasm';

/** Lists have a few hundred bytes for an entry. */
const mostLines = 500_000;
/** A dictionary of the largest preset, and what else it needs. */
const mostMemoryBytes = 384 << 20;
let compiled: WebAssembly.Module | undefined;
/** Compiled when it is first wanted. */
const theProgram = () =>
  (compiled ??= new WebAssembly.Module(
    readFileSync(createRequire(import.meta.url).resolve('7z-wasm/7zz.wasm')),
  ));

type Resize = (bytes: number) => number | boolean;

/** Where its output and its errors go, a line each. */
export interface Printed {
  readonly lines: string[];
  readonly errors: string[];
}

/** 7-Zip as it starts, with nothing left of what ran before, in bounded memory. */
export async function freshSevenZip({ lines, errors }: Printed): Promise<SevenZipModule> {
  const options = {
    print: (line: string) => void (lines.length < mostLines && lines.push(line)),
    printErr: (line: string) => void (errors.length < 100 && errors.push(line)),
    instantiateWasm(
      imports: { env: WebAssembly.ModuleImports },
      done: (instance: WebAssembly.Instance, module: WebAssembly.Module) => void,
    ) {
      const resize = imports.env.emscripten_resize_heap as Resize;
      const env = {
        ...imports.env,
        emscripten_resize_heap(bytes: number) {
          if (bytes >>> 0 <= mostMemoryBytes) return resize(bytes);
          // 7-Zip calls it damage.
          errors.push(`it takes more memory than ${sizeText(mostMemoryBytes)}`);
          return false;
        },
      };
      const program = theProgram();
      done(new WebAssembly.Instance(program, { ...imports, env }), program);
    },
  };
  return sevenZip(options);
}

/** What it writes, which comes as bytes with a sign. */
export const writtenBytes = (
  { buffer, byteOffset }: ArrayBufferView,
  offset: number,
  length: number,
): Uint8Array => new Uint8Array(buffer, byteOffset + offset, length);
