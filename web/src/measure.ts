// Feel in numbers, measured by the same module: a craft alone in the open, flown by scripts.
// The definitions are those of the feel sheet.

import type { Core } from "./core";
import type { CourseData } from "./data";
import { Pacing } from "./pacing";

const SECONDS = 20;
const SETTLED = 1e-3;
const TINY = 1e-9;
const MOVES = 1e-6;
const CHANCE = 4;

export interface Metric { name: string; unit: string; value: number | null; why: string }

interface Line { t: number[]; place: number[]; vt: number[]; velocity: number[] }

/** Returns when values first reach a level, straight between frames. */
function crossing(t: number[], values: number[], level: number): number | null {
  const side = Math.sign(values[0] - level);
  if (side === 0) return t[0];
  const k = values.findIndex((value) => (value - level) * side <= TINY * Math.abs(level));
  if (k < 0) return null;
  if (k === 0) return t[0];
  const [before, past] = [values[k - 1] - level, values[k] - level];
  const share = before === past ? 1 : Math.min(before / (before - past), 1);
  return t[k - 1] + share * (t[k] - t[k - 1]);
}

function valueAt(t: number[], values: number[], moment: number): number {
  let k = t.findIndex((one) => one > moment);
  if (k < 0) return values[values.length - 1];
  k = Math.max(k, 1);
  return ((values[k] - values[k - 1]) / (t[k] - t[k - 1])) * (moment - t[k - 1]) + values[k - 1];
}

/** Returns the value to which a response has settled by the end, or null. */
function settled(t: number[], values: number[]): number | null {
  const from = t[t.length - 1] * 0.95 + t[0] * 0.05;
  const late = values.filter((_, n) => t[n] >= from);
  const mean = late.reduce((sum, one) => sum + one, 0) / late.length;
  const least = SETTLED * Math.max(Math.abs(mean), TINY);
  if (Math.max(...late) - Math.min(...late) <= least) return values[values.length - 1];
  const half = late.length >> 1;
  const meanOf = (part: number[]): number => part.reduce((sum, one) => sum + one, 0) / part.length;
  const apart = Math.abs(meanOf(late.slice(0, half)) - meanOf(late.slice(half)));
  const spread = Math.sqrt(meanOf(late.map((one) => (one - mean) ** 2)));
  return apart <= Math.max(least, (CHANCE * spread) / Math.sqrt(late.length)) ? mean : null;
}

/** Flies the course by a script; returns the craft's places as the screen shows them, y up. */
function flown(
  core: Core, course: CourseData, rate: number, seconds: number,
  held: (t: number) => Record<string, number>,
): { t: number[]; x: number[]; y: number[]; heading: number[]; seen: number[]; vx0: number; vy0: number } {
  core.reset();
  const data = course.core;
  const pacing = new Pacing(data.clock, rate, data.unit);
  const inputs = new Float64Array(data.raw.length);
  const first = core.craft(course.craft);
  const found = {
    t: [0], x: [first.x], y: [first.y * course.up], heading: [first.heading], seen: [] as number[],
    vx0: first.vx, vy0: first.vy * course.up,
  };
  while (pacing.begin < seconds - TINY && !core.failed) {
    const frame = pacing.next();
    const actions = held(frame.begin);
    for (const one of data.raw) {
      inputs[one.column] = one.part === "" ? actions[one.name] ?? 0
        : one.part === "again" ? 0 : course.pointer[one.part === "x" ? 0 : 1];
    }
    found.seen.push(Object.values(actions)[0] ?? 0);
    for (const step of frame.steps) core.step(step.now, step.length, inputs);
    const now = core.craft(course.craft);
    found.t.push(frame.end);
    found.x.push(now.x);
    found.y.push(now.y * course.up);
    found.heading.push(now.heading);
  }
  return found;
}

function along(path: { t: number[]; x: number[]; y: number[]; vx0: number; vy0: number }, [dx, dy]: [number, number]): Line {
  const place = path.x.map((x, n) => x * dx + path.y[n] * dy);
  const vt = path.t.map((t, n) => (n === 0 ? t : path.t[n - 1] + (t - path.t[n - 1]) / 2));
  const velocity = place.map((one, n) =>
    n === 0 ? path.vx0 * dx + path.vy0 * dy : (one - place[n - 1]) / (path.t[n] - path.t[n - 1]));
  return { t: path.t, place, vt, velocity };
}

function answer(name: string, unit: string, value: number | null, why = "not within 20 s"): Metric {
  return { name, unit, value, why: value === null ? why : "" };
}

/** Returns what can be measured of a craft at a frame rate, with the core's numbers as they are. */
export function measure(core: Core, course: CourseData, rate: number): Metric[] {
  const found: Metric[] = [];
  if (course.hold && course.direction) found.push(...straight(core, course, rate));
  if (course.press) found.push(...leap(core, course, rate));
  return found;
}

function straight(core: Core, course: CourseData, rate: number): Metric[] {
  const hold = course.hold!;
  const path = flown(core, course, rate, 2 * SECONDS, (t) => (t < SECONDS ? hold : {}));
  const line = along(path, course.direction!);
  const count = line.t.filter((t) => t < SECONDS + TINY).length;
  const held = {
    t: line.t.slice(0, count), place: line.place.slice(0, count),
    vt: line.vt.slice(0, count), velocity: line.velocity.slice(0, count),
  };
  const top = settled(held.vt, held.velocity);
  if (top === null) return [answer("top speed", "px/s", null, "grows on")];
  if (Math.abs(top) <= MOVES) return [answer("top speed", "px/s", 0)];
  const [tenth, most] = [0.1, 0.9].map((share) => crossing(held.vt, held.velocity, top * share));
  const metrics = [
    answer("top speed", "px/s", top),
    answer("rise time", "s", tenth === null || most === null ? null : most - tenth),
    answer("distance to 90 %", "px", most === null ? null : valueAt(held.t, held.place, most) - held.place[0]),
  ];
  if (Object.keys(hold).length > 0) metrics.push(...release(path, line, rate));
  return metrics;
}

function release(path: { t: number[]; seen: number[] }, line: Line, rate: number): Metric[] {
  const from = path.seen.findIndex((value, n) => value === 0 && path.t[n] >= SECONDS - 0.5 / rate - TINY);
  if (from < 0) return [];
  const begin = line.t[from];
  const t = line.t.slice(from).map((one) => one - begin);
  const place = line.place.slice(from);
  const vt = line.vt.slice(from).map((one) => Math.max(one - begin, 0));
  const velocity = line.velocity.slice(from);
  if (Math.abs(velocity[0]) <= MOVES) return [];
  const [rest, half] = [0.02, 0.5].map((share) => crossing(vt, velocity, velocity[0] * share));
  const none = settled(t, velocity) === null ? "not within 20 s" : "never";
  return [
    answer("time to rest", "s", rest, none),
    answer("distance to rest", "px", rest === null ? null : valueAt(t, place, rest) - place[0], none),
    answer("half-speed time", "s", half, none),
  ];
}

function leap(core: Core, course: CourseData, rate: number): Metric[] {
  const press = course.press!;
  const path = flown(core, course, rate, SECONDS, (t) => (t < 0.5 / rate ? press : {}));
  const k = path.y.indexOf(Math.max(...path.y));
  const idle = flown(core, course, rate, SECONDS, () => ({}));
  const fall = along(idle, [0, -1]);
  const terminal = settled(fall.vt, fall.velocity);
  const metrics: Metric[] = [];
  if (k > 0 && k < path.y.length - 1) {
    const [before, top, after] = [path.y[k - 1], path.y[k], path.y[k + 1]];
    const bend = before - 2 * top + after;
    const share = bend < 0 ? (0.5 * (before - after)) / bend : 0;
    const height = top - 0.25 * (before - after) * share - path.y[0];
    metrics.push(
      answer("apex", "px", height > MOVES ? height : 0),
      answer("time to apex", "s", path.t[k] + share * (path.t[k + 1] - path.t[k])),
    );
  }
  if (Math.max(...fall.velocity.map(Math.abs)) > MOVES) {
    metrics.push(answer("terminal fall", "px/s", terminal, "grows on"));
  }
  return metrics;
}
