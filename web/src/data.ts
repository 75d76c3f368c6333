// What the Python package writes into a page, and how its blobs are read.

export interface Part { corners: [number, number][]; radius: number; turns: boolean }

export interface CraftShape {
  name: string;
  family: string;
  drawn: Part[];
  hit: Part[];
  radius: number;
  /** Where each axis wraps, low and high. */
  seams: ([number, number] | null)[];
  /** Zero and sign of headings, from degrees as the arena counts them to radians. */
  heading: [number, number] | null;
}

export interface SceneData {
  low: [number, number];
  high: [number, number];
  /** What y grows by upward on the screen: 1 or -1. */
  up: number;
  unit: string;
  edges: Record<string, string>;
  view: [number, number] | null;
  obstacles: { parts: Part[]; places: [number, number][]; passed: boolean }[];
  craft: CraftShape[];
}

export interface Difference { t: number; text: string }

export interface RunData {
  label: string;
  rate: number;
  variant: string;
  reference: boolean;
  /** On a light and on a dark page. */
  colours: [string, string];
  craft: string[];
  counts: number[];
  columns: string[];
  states: string;
  times: string;
  actions: string[];
  pressed: string;
  differences: Difference[];
}

export interface NumberData {
  path: string;
  /** Whose it is, such as a craft, and of what there: a rule, say. */
  of: string;
  what: string;
  /** Whether it is part of a start. */
  begins: boolean;
  key: string;
  value: number;
  unit: string;
  low: number;
  high: number;
  step: number;
  counts_frames: boolean;
}

export interface ClockData {
  tuned_at: number;
  rate?: number;
  fixed_rate?: number;
  max_dt?: number;
  substep?: number;
  max_steps_per_frame?: number;
  backlog?: string;
  step_dt?: string;
  input?: string;
}

export interface HandsData {
  sampling: "polled" | "buffered";
  repeats: Record<string, { delay: number; rate: number; counts_from: "press" | "frame" }>;
  actions: { name: string; analog: boolean; heard: boolean }[];
  keys: Record<string, string[]>;
  pointers: Record<string, [number, number]>;
  recorded: {
    changes: Record<string, [number, number][]>;
    pointers: Record<string, [number, number, number][]>;
  };
}

export type Offsets = Record<string, number>;

export interface CoreData {
  module: string;
  image: string;
  typed: string;
  memory: {
    typed: number; moments: number; inputs: number; events: number; event_room: number;
    pages: number;
  };
  records: { Body: Offsets; Event: Offsets; Moment: Offsets; World: Offsets };
  sizes: { Body: number; Event: number; Moment: number; World: number };
  world: number;
  bodies: number;
  crafts: number;
  unit: number;
  raw: { label: string; name: string; part: string; column: number }[];
  numbers: NumberData[];
  fixed: { path: string; reason: string }[];
  events: {
    codes: Record<string, string>; edge: number; rule: number; contact: number[];
    edges: string[][]; family: number[]; rules: string[][]; contacts: string[]; bodies: string[];
  };
  clock: ClockData;
  duration: number;
  hands: HandsData;
}

export interface TimingChoice { name: string; core: CoreData }

/** One craft alone in the open, for measuring its feel. */
export interface CourseData {
  name: string;
  core: CoreData;
  craft: number;
  up: number;
  /** What drives it straight ahead, and where to, y up. */
  hold: Record<string, number> | null;
  direction: [number, number] | null;
  /** What makes it leap. */
  press: Record<string, number> | null;
  pointer: [number, number];
}

/** Two sets of numbers that are flown blind, and what the answers so far say. */
export interface ChoiceData {
  first: Record<string, number>;
  second: Record<string, number>;
  answered: number;
  lines: string[];
}

export interface PageData {
  title: string;
  /** Name of the scenario's file, for commands that are printed. */
  file: string;
  scene: SceneData;
  runs: RunData[];
  /** The scenario as it is written first, then with other timings. */
  cores: TimingChoice[];
  course: CourseData | null;
  /** Pictures of the report, as compressed SVG. */
  figures: string[];
  why_no_play: string;
  /** Colours from slow to fast, on a light and on a dark page. */
  palette: [string, string][];
  /** Of the local server that hands out this page; empty for a file. */
  token: string;
  /** The pair at hand, if numbers are chosen in this page. */
  choice: ChoiceData | null;
}

export function readData(): PageData {
  const text = document.getElementById("flight-data")?.textContent ?? "{}";
  return JSON.parse(text) as PageData;
}

/** Returns the bytes of a blob. */
export async function unpacked(text: string): Promise<Uint8Array<ArrayBuffer>> {
  const bytes = Uint8Array.from(atob(text), (one) => one.charCodeAt(0));
  const stream = new Blob([bytes]).stream().pipeThrough(new DecompressionStream("deflate"));
  return new Uint8Array(await new Response(stream).arrayBuffer());
}

/** Returns the floats of a blob, in which the first bytes of all floats come first. */
export async function unpackedFloats(text: string): Promise<Float64Array> {
  const bytes = await unpacked(text);
  const count = bytes.length / 8;
  const sorted = new Uint8Array(bytes.length);
  for (let n = 0; n < count; n++) {
    for (let byte = 0; byte < 8; byte++) sorted[8 * n + byte] = bytes[byte * count + n];
  }
  return new Float64Array(sorted.buffer);
}
