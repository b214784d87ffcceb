/** The package brings no types; these say what the code here uses. */
declare module 's3rver' {
  interface Options {
    readonly address: string;
    readonly port: number;
    readonly silent: boolean;
    /** Where the objects lie. */
    readonly directory: string;
    readonly vhostBuckets: boolean;
    readonly configureBuckets: readonly { readonly name: string; readonly configs: readonly string[] }[];
  }

  export default class S3rver {
    constructor(options: Options);
    run(): Promise<{ readonly address: string; readonly port: number }>;
    close(): Promise<void>;
  }
}
