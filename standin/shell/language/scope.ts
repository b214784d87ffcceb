import type { Function as FunctionNode } from 'unbash';

/** What a script knows while it runs. */
export class Scope {
  readonly variables = new Map<string, string>();
  readonly functions = new Map<string, FunctionNode['body']>();
  /** Of the last command. */
  code = 0;

  constructor(
    public cwd: string,
    /** `$0` */
    readonly name: string,
    public positional: readonly string[],
    private readonly number: number,
  ) {}

  value(name: string): string | undefined {
    if (/^[1-9]\d*$/.test(name)) return this.positional[Number(name) - 1];
    switch (name) {
      case '?':
        return String(this.code);
      case '#':
        return String(this.positional.length);
      case '*':
      case '@':
        return this.positional.join(' ');
      case '0':
        return this.name;
      case '$':
        return String(this.number);
      default:
        return this.variables.get(name);
    }
  }

  assign(name: string, value: string): void {
    this.variables.set(name, value);
  }

  /** Of a subshell: what it changes is its own. */
  copy(): Scope {
    const copy = new Scope(this.cwd, this.name, this.positional, this.number);
    for (const [name, value] of this.variables) copy.variables.set(name, value);
    for (const [name, body] of this.functions) copy.functions.set(name, body);
    copy.code = this.code;
    return copy;
  }
}

/** `break`, `continue`, `return` and `exit` on their way out. */
export class Leaving extends Error {
  constructor(
    readonly by: 'break' | 'continue' | 'return' | 'exit',
    /** How many loops, or the exit code. */
    public count: number,
  ) {
    super(by);
  }
}
