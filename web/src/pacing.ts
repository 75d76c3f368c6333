// When frames begin and which steps the game takes in them, frame by frame.

import type { ClockData } from "./data";

/** Moments closer than this are the same [s]. */
const ROUNDING = 1e-9;

export interface Step { now: number; length: number }

export interface Frame {
  /** When it begins and when it ends [s]. */
  begin: number;
  end: number;
  steps: Step[];
}

/** Frames of a steady rate, apart from hitches; time comes from the index of a frame. */
export class Pacing {
  private index = 0;
  /** What frames so far were longer than usual, together [s]. */
  private extra = 0;
  /** The game's time by now, where frames have a longest length [s]. */
  private given = 0;
  private taken = 0;
  private gone = 0;
  private hitch: number | null = null;
  readonly hitches: { at: number; length: number }[] = [];

  constructor(private readonly clock: ClockData, readonly rate: number, private readonly unit: number) {}

  /** When the next frame begins [s]. */
  get begin(): number {
    return this.index / this.rate + this.extra;
  }

  /** When the next frame ends [s]. */
  get end(): number {
    return (this.index + 1) / this.rate + this.extra + this.longer;
  }

  private get longer(): number {
    return this.hitch === null ? 0 : this.hitch - 1 / this.rate;
  }

  /** Makes the next frame last this long [s]. */
  hitchNext(length: number): void {
    if (length > 1 / this.rate) this.hitch = length;
  }

  /** Returns the next frame. */
  next(): Frame {
    const begin = this.begin;
    if (this.hitch !== null) this.hitches.push({ at: begin, length: this.hitch });
    const length = 1 / this.rate + this.longer;
    this.extra += this.longer;
    this.hitch = null;
    this.index += 1;
    const end = this.begin;
    const { max_dt: longest, fixed_rate: fixed, substep } = this.clock;
    const played = longest === undefined ? length : Math.min(length, longest);
    const before = longest === undefined ? begin : this.given;
    this.given += played;
    const after = longest === undefined ? end : this.given;
    if (fixed !== undefined) return { begin, end, steps: this.fixedSteps(after, fixed, longest === undefined ? length : after - before) };
    const parts = substep === undefined ? 1 : Math.max(Math.ceil(played / substep - ROUNDING), 1);
    const steps: Step[] = [];
    for (let n = 0; n < parts; n++) {
      const part = played / parts;
      steps.push({ now: this.units(before + n * part), length: this.units(part) });
    }
    return { begin, end, steps };
  }

  /** Returns the steps of a fixed length that have come together by a time given to the game. */
  /** Time that has passed in the game where each step takes the frame's length [s]. */
  private played = 0;

  private fixedSteps(after: number, rate: number, length: number): Step[] {
    const passed = after * rate;
    let due = Math.floor(passed - this.gone + ROUNDING * rate) - this.taken;
    const most = this.clock.max_steps_per_frame;
    if (most !== undefined && due > most) {
      if (this.clock.backlog === "cleared") this.gone = passed - this.taken - most;
      else if (this.clock.backlog !== "kept") this.gone += due - most;
      due = most;
    }
    const steps: Step[] = [];
    for (let n = 0; n < due; n++, this.taken++) {
      if (this.clock.step_dt === "frame") {
        steps.push({ now: this.units(this.played), length: this.units(length) });
        this.played += length;
      } else {
        steps.push({ now: this.units(this.taken / rate), length: this.units(1 / rate) });
      }
    }
    return steps;
  }

  /** Returns seconds in the scenario's units of time; a whole number of units is just that. */
  private units(seconds: number): number {
    if (this.unit === 1) return seconds;
    const value = seconds * this.unit;
    const whole = Math.round(value);
    return Math.abs(value - whole) < ROUNDING ? whole : value;
  }
}
