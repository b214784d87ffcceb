/** The two globals beyond the language itself that Node, workers and browsers all have. */
declare class TextDecoder {
  constructor(label?: string, options?: { fatal?: boolean });
  decode(bytes: Uint8Array): string;
}
declare class TextEncoder {
  encode(text: string): Uint8Array;
}

/** In Node, workers and browsers alike. */
declare function atob(base64: string): string;

declare class DecompressionStream {
  constructor(format: 'gzip' | 'deflate-raw');
  readonly readable: {
    getReader(): { read(): Promise<{ done: boolean; value?: Uint8Array }>; cancel(): Promise<void> };
  };
  readonly writable: {
    getWriter(): { write(bytes: Uint8Array): Promise<void>; close(): Promise<void> };
  };
}
