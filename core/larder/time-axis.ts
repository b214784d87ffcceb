/** Something that lies on a phone's lane of the time axis. */
export interface AxisEvent {
  readonly id: string;
  readonly serial: string;
  /** Milliseconds since 1970, as all times here. */
  readonly at: number;
  readonly kind: 'set' | 'copy' | 'run';
  readonly title: string;
}

/** What is known of a phone's condition at a moment. */
export interface AxisCondition {
  readonly serial: string;
  readonly at: number;
  readonly kind: string;
}

/** A stretch of time in which a phone's condition is known to have been the same, or to have become another one since the last. */
export interface AxisSpan {
  readonly kind: string;
  readonly from: number;
  readonly until: number;
}

/** Events of one kind that are too close to be told apart as they are drawn. */
export interface AxisMark {
  readonly kind: AxisEvent['kind'];
  readonly from: number;
  readonly until: number;
  readonly events: readonly AxisEvent[];
}

export interface AxisLane {
  readonly serial: string;
  /** Ascending. */
  readonly events: readonly AxisEvent[];
  readonly spans: readonly AxisSpan[];
}

/**
 * A lane for every phone, that with the newest event first.
 * @param until how far the last condition is taken to last
 */
export function lanesOf(
  events: readonly AxisEvent[],
  conditions: readonly AxisCondition[],
  until: number,
): AxisLane[] {
  const bySerial = <T extends { readonly serial: string; readonly at: number }>(all: readonly T[]) => {
    const found = new Map<string, T[]>();
    for (const each of all) {
      const list = found.get(each.serial);
      if (list) list.push(each);
      else found.set(each.serial, [each]);
    }
    for (const list of found.values()) list.sort((a, b) => a.at - b.at);
    return found;
  };
  const known = bySerial(conditions);
  return [...bySerial(events)]
    .map(([serial, own]) => ({ serial, events: own, spans: spansOf(known.get(serial) ?? [], until) }))
    .sort((a, b) => b.events.at(-1)!.at - a.events.at(-1)!.at);
}

function spansOf(conditions: readonly AxisCondition[], until: number): AxisSpan[] {
  const spans: { kind: string; from: number; until: number }[] = [];
  for (const { kind, at } of conditions) {
    const last = spans.at(-1);
    if (last) last.until = at;
    if (last?.kind !== kind) spans.push({ kind, from: at, until: at });
  }
  const last = spans.at(-1);
  if (last) last.until = Math.max(until, last.until);
  return spans;
}

/** Position of the first event not before a time. */
export function firstFrom(events: readonly AxisEvent[], at: number): number {
  let [low, high] = [0, events.length];
  while (low < high) {
    const middle = (low + high) >> 1;
    if (events[middle]!.at < at) low = middle + 1;
    else high = middle;
  }
  return low;
}

/**
 * What is drawn of a lane between two times: events of one kind that lie closer than `leastMs` are one mark.
 * @param events ascending
 */
export function marksBetween(
  events: readonly AxisEvent[],
  from: number,
  until: number,
  leastMs: number,
): AxisMark[] {
  const open = new Map<AxisEvent['kind'], { from: number; until: number; events: AxisEvent[] }>();
  const marks: AxisMark[] = [];
  for (let i = firstFrom(events, from); i < events.length; i++) {
    const event = events[i]!;
    if (event.at > until) break;
    const last = open.get(event.kind);
    if (last && event.at - last.until < leastMs) {
      last.until = event.at;
      last.events.push(event);
      continue;
    }
    const mark = { kind: event.kind, from: event.at, until: event.at, events: [event] };
    open.set(event.kind, mark);
    marks.push(mark);
  }
  return marks;
}

/** A stretch of time around all events, with some room at both ends. */
export function wholeTime(events: readonly AxisEvent[], now: number): readonly [number, number] {
  const first = events.reduce((least, { at }) => Math.min(least, at), now);
  const room = Math.max((now - first) * 0.03, 86_400_000);
  return [first - room, now + room];
}

/**
 * Zooms a stretch of time about a moment in it.
 * @param factor below 1 shows less
 * @param most what is shown at most
 */
export function zoomed(
  [from, until]: readonly [number, number],
  about: number,
  factor: number,
  [first, last]: readonly [number, number],
): readonly [number, number] {
  const leastMs = 60_000;
  const span = Math.min(Math.max((until - from) * factor, leastMs), last - first);
  const share = (about - from) / (until - from);
  const start = Math.min(Math.max(about - share * span, first), last - span);
  return [start, start + span];
}
