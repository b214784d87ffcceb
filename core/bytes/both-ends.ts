import { joinBytes } from './join.ts';
import { readUtf8 } from './text.ts';

/** Keeps the first and the last bytes of something long. */
export class BothEnds {
  private readonly first: Uint8Array[] = [];
  private readonly last: Uint8Array[] = [];
  private firstBytes = 0;
  private lastBytes = 0;
  private isCut = false;

  /** @param most bytes of each end */
  constructor(private readonly most: number) {}

  /** @param part is copied */
  add(part: Uint8Array): void {
    const room = Math.min(part.length, this.most - this.firstBytes);
    if (room > 0) this.first.push(part.slice(0, room));
    this.firstBytes += room;
    if (part.length === room) return;
    const rest = part.slice(room);
    this.last.push(rest);
    this.lastBytes += rest.length;
    while (this.lastBytes - this.last[0]!.length >= this.most) {
      this.lastBytes -= this.last.shift()!.length;
      this.isCut = true;
    }
  }

  /** As UTF-8, with a mark where bytes were left out. */
  text(): string {
    const [first, last] = [readUtf8(joinBytes(this.first)), readUtf8(joinBytes(this.last))];
    return this.isCut ? `${first}\n…\n${last}` : `${first}${last}`;
  }
}
