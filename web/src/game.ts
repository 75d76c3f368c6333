// One game at one frame rate: its flight, its frames, and its look at the hands.

import { type Core, type CoreEvent, type CraftState } from "./core";
import type { CoreData } from "./data";
import { type Frame, Pacing } from "./pacing";
import { Look, type Tape } from "./tape";

/** Frames for which a path is kept. */
const TRAIL = 600;
const EVENTS = 60;

export interface TrailPoint { t: number; places: Float64Array }

export class Game {
  readonly pacing: Pacing;
  private readonly look: Look;
  private readonly lookAtAll: Look | null;
  private readonly summed = new Map<string, number>();
  private readonly inputs: Float64Array;
  private steps = 0;
  trail: TrailPoint[] = [];
  events: (CoreEvent & { t: number })[] = [];
  /** When the picture that is shown was ready [s]. */
  shownAt = 0;
  /** From presses to the ends of the frames that first saw them [s]. */
  latencies: number[] = [];
  private waiting: { action: string; t: number }[] = [];

  constructor(readonly core: Core, private readonly data: CoreData, readonly rate: number, tape: Tape) {
    this.pacing = new Pacing(data.clock, rate, data.unit);
    this.look = new Look(tape);
    this.lookAtAll = data.clock.input === "sum" ? new Look(tape, false) : null;
    this.inputs = new Float64Array(data.raw.length);
    core.reset();
    this.keep();
  }

  /** Notes a press, to measure how long it takes to be seen. */
  pressed(action: string, t: number): void {
    this.waiting.push({ action, t });
  }

  /** Flies all frames that end by a moment; returns whether there was one. */
  advance(until: number): boolean {
    let flown = false;
    while (this.pacing.end <= until && !this.core.failed) {
      this.frame();
      flown = true;
    }
    return flown;
  }

  /** Flies one frame. */
  frame(): void {
    const frame = this.pacing.next();
    if (this.lookAtAll) this.sum(frame.begin);
    if (frame.steps.length > 0) this.read(frame);
    frame.steps.forEach((step, n) => {
      if (n === 1) this.forgetPresses();
      this.core.step(step.now, step.length, this.inputs);
      this.steps += 1;
      for (const event of this.core.events()) this.events.push({ ...event, t: frame.end });
    });
    if (this.events.length > EVENTS) this.events.splice(0, this.events.length - EVENTS);
    this.shownAt = frame.end;
    this.keep();
  }

  private sum(begin: number): void {
    for (const [name, [value]] of this.lookAtAll!.at(begin)) {
      this.summed.set(name, (this.summed.get(name) ?? 0) + value);
    }
  }

  /** Reads the inputs of a frame's first step. */
  private read(frame: Frame): void {
    const values = this.look.at(frame.begin);
    for (const one of this.data.raw) {
      const [value, again] = values.get(one.name) ?? [0, 0];
      if (one.part === "x" || one.part === "y") {
        this.inputs[one.column] = this.look.pointer(one.name, frame.begin)[one.part === "x" ? 0 : 1];
      } else if (one.part === "again") {
        this.inputs[one.column] = again;
      } else {
        this.inputs[one.column] = this.lookAtAll ? this.summed.get(one.name) ?? 0 : value;
      }
    }
    this.summed.clear();
    this.waiting = this.waiting.filter(({ action, t }) => {
      if (t > frame.begin) return true;
      if ((values.get(action)?.[0] ?? 0) !== 0) this.latencies.push(frame.end - t);
      return false;
    });
    if (this.latencies.length > 40) this.latencies.splice(0, this.latencies.length - 40);
  }

  /** Of several steps in a frame the first gets the press, and the sum of what was asked. */
  private forgetPresses(): void {
    for (const one of this.data.raw) {
      if (one.part === "again" || (one.part === "" && this.lookAtAll)) this.inputs[one.column] = 0;
    }
  }

  private keep(): void {
    const places = new Float64Array(2 * Math.min(this.data.crafts, 8));
    for (let n = 0; n < places.length / 2; n++) {
      const craft = this.core.craft(n);
      places[2 * n] = craft.there ? craft.x : NaN;
      places[2 * n + 1] = craft.y;
    }
    this.trail.push({ t: this.shownAt, places });
    if (this.trail.length > 2 * TRAIL) this.trail.splice(0, TRAIL);
  }

  /** How many steps were taken. */
  get stepCount(): number {
    return this.steps;
  }

  states(): CraftState[] {
    return Array.from({ length: this.data.crafts }, (_, n) => this.core.craft(n));
  }
}
