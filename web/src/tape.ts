// What hands did, written down in seconds, and what a game sees of it at the start of a frame.

import type { HandsData } from "./data";

/** A repeated press that falls on the start of a frame is not pushed past it by rounding [s]. */
const EARLY = 1e-9;
/** The least time between two changes of one action [s]. */
const APART = 1e-6;

type Change = [t: number, value: number];
type Point = [t: number, x: number, y: number];

/** The hands so far, shared by all games that are flown from them. */
export class Tape {
  readonly changes = new Map<string, Change[]>();
  readonly points = new Map<string, Point[]>();
  /** Moments up to which games have looked: nothing may be written before [s]. */
  private seen = -Infinity;

  constructor(readonly hands: HandsData) {
    for (const one of hands.actions) this.changes.set(one.name, []);
    for (const name of Object.keys(hands.pointers)) this.points.set(name, []);
  }

  /** Returns the scenario's own tape. */
  static recorded(hands: HandsData): Tape {
    const tape = new Tape(hands);
    for (const [name, changes] of Object.entries(hands.recorded.changes)) {
      tape.changes.set(name, changes.map(([t, value]) => [t, value]));
    }
    for (const [name, points] of Object.entries(hands.recorded.pointers)) {
      tape.points.set(name, points.map(([t, x, y]) => [t, x, y]));
    }
    return tape;
  }

  /** Notes that a game has looked at a moment. */
  look(t: number): void {
    this.seen = Math.max(this.seen, t);
  }

  /** Writes down an action's new value; returns when, which is after what games have seen. */
  set(action: string, value: number, t: number): number {
    const changes = this.changes.get(action);
    if (!changes) return t;
    const last = changes[changes.length - 1];
    if ((last ? last[1] : 0) === value) return t;
    const when = Math.max(t, this.seen + APART, last ? last[0] + APART : 0, 0);
    changes.push([when, value]);
    return when;
  }

  /** Writes down where a pointer is. */
  point(name: string, t: number, x: number, y: number): void {
    const points = this.points.get(name);
    if (!points) return;
    const last = points[points.length - 1];
    if (last && last[0] >= t) return;
    points.push([Math.max(t, 0), x, y]);
  }

  /** Returns the tape as rows `t,action,value`; pointers as `name x` and `name y`. */
  csv(): string {
    const rows: [number, string, number][] = [];
    for (const [name, changes] of this.changes) {
      for (const [t, value] of changes) rows.push([t, name, value]);
    }
    for (const [name, points] of this.points) {
      for (const [t, x, y] of points) rows.push([t, `${name} x`, x], [t, `${name} y`, y]);
    }
    rows.sort((a, b) => a[0] - b[0]);
    return ["t,action,value", ...rows.map(([t, n, v]) => `${t},${quoted(n)},${v}`), ""].join("\n");
  }
}

function quoted(text: string): string {
  return /[",\n\r]/.test(text) ? `"${text.replaceAll('"', '""')}"` : text;
}

/** A press, the moment from which its repeats count, and how many of those have come. */
interface Press { down: number; from: number; up: number; come: number }

/** One game's look at a tape: what it sees in each frame that takes steps. */
export class Look {
  private readonly places = new Map<string, number>();
  private readonly presses = new Map<string, Press[]>();
  /** What the frame before saw of each action: as keys were, and with repeated presses. */
  private readonly held = new Map<string, number>();
  private readonly seen = new Map<string, number>();
  private first = true;

  /** `repeats` is whether keys that repeat count as pressed again. */
  constructor(private readonly tape: Tape, private readonly repeats = true) {}

  /** Returns for each action its value and whether it was pressed anew, at a frame's start. */
  at(begin: number): Map<string, [value: number, again: number]> {
    const found = new Map<string, [number, number]>();
    for (const one of this.tape.hands.actions) {
      found.set(one.name, one.analog ? [this.analog(one.name, begin), 0] : this.digital(one.name, begin));
    }
    this.first = false;
    this.tape.look(begin);
    return found;
  }

  /** Returns where a pointer is: straight between points, still outside. */
  pointer(name: string, t: number): [number, number] {
    const points = this.tape.points.get(name) ?? [];
    if (points.length === 0) return this.tape.hands.pointers[name] ?? [0, 0];
    let n = this.places.get(name) ?? 0;
    while (n + 1 < points.length && points[n + 1][0] <= t) n += 1;
    this.places.set(name, n);
    const [t0, x0, y0] = points[n];
    if (t <= t0 || n + 1 === points.length) return [x0, y0];
    const [t1, x1, y1] = points[n + 1];
    return [((x1 - x0) / (t1 - t0)) * (t - t0) + x0, ((y1 - y0) / (t1 - t0)) * (t - t0) + y0];
  }

  private analog(name: string, begin: number): number {
    const changes = this.tape.changes.get(name) ?? [];
    let n = this.places.get(name) ?? 0;
    while (n < changes.length && changes[n][0] <= begin) n += 1;
    this.places.set(name, n);
    return n === 0 ? 0 : changes[n - 1][1];
  }

  /** Reads on the changes of a digital action up to a moment, as presses. */
  private read(name: string, begin: number): Press[] {
    const changes = this.tape.changes.get(name) ?? [];
    const presses = this.presses.get(name) ?? [];
    let n = this.places.get(name) ?? 0;
    for (; n < changes.length && changes[n][0] <= begin; n++) {
      const [t, value] = changes[n];
      const open = presses[presses.length - 1];
      if (value !== 0 && !(open && open.up === Infinity)) {
        const from = this.tape.hands.repeats[name]?.counts_from === "frame" ? begin : t;
        presses.push({ down: t, from, up: Infinity, come: -1 });
      } else if (value === 0 && open && open.up === Infinity) {
        open.up = t;
      }
    }
    this.places.set(name, n);
    this.presses.set(name, presses);
    return presses;
  }

  private digital(name: string, begin: number): [number, number] {
    const begun = this.presses.get(name)?.length ?? 0;
    const presses = this.read(name, begin);
    const held = this.held.get(name) ?? 0;
    const seen = this.seen.get(name) ?? 0;
    const buffered = this.tape.hands.sampling === "buffered";
    let value = 0;
    let again = 0;
    presses.forEach((one, n) => {
      if (begin < one.up) value = 1;
      if (n >= begun && buffered) {
        value = 1;
        if (!this.first && held !== 0) again = 1;
      }
    });
    this.held.set(name, value);
    const repeat = this.tape.hands.repeats[name];
    if (repeat && this.repeats) {
      for (const one of presses) {
        const start = one.from + repeat.delay;
        const most = Math.max(Math.ceil((one.up - start) * repeat.rate) - 1, -1);
        const due = Math.floor((begin + EARLY - start) * repeat.rate);
        const come = Math.min(Math.max(due, -1), most);
        if (come > one.come) {
          if (buffered) {
            again = seen !== 0 && !this.first ? 1 : 0;
            value = 1;
          } else {
            again = value;
          }
        }
        one.come = come;
      }
    }
    this.presses.set(name, presses.filter((one) => one.up > begin)); // the others are over
    this.seen.set(name, value);
    return [value, again];
  }
}
