// A scenario's own compiled module, flown a step at a time in a memory of its own.

import { type CoreData, unpacked, unpackedFloats } from "./data";

interface Exports {
  fly(): void;
  bind(number: number, value: number, begins: number): void;
}

export interface CraftState {
  x: number; y: number; vx: number; vy: number; heading: number; height: number; there: boolean;
}

export interface CoreEvent { kind: string; craft: string; other: string; x: number; y: number }

/** What all memories of one scenario share: its compiled module and how memory begins. */
export class CoreModule {
  private constructor(
    readonly data: CoreData,
    readonly module: WebAssembly.Module,
    readonly image: Float64Array,
    readonly typed: Float64Array,
  ) {}

  static async load(data: CoreData): Promise<CoreModule> {
    const [binary, image, typed] = await Promise.all([
      unpacked(data.module), unpackedFloats(data.image), unpackedFloats(data.typed),
    ]);
    return new CoreModule(data, await WebAssembly.compile(binary), image, typed);
  }
}

/** One flight: a memory and the functions that work on it. */
export class Core {
  private readonly memory: WebAssembly.Memory;
  private readonly floats: Float64Array;
  private readonly whole: Int32Array;
  private exports!: Exports;
  /** Numbers as they are typed by now, by their place. */
  private readonly changed = new Map<number, number>();
  failed = "";

  private constructor(readonly of: CoreModule) {
    const pages = of.data.memory.pages;
    this.memory = new WebAssembly.Memory({ initial: pages, maximum: pages });
    this.floats = new Float64Array(this.memory.buffer);
    this.whole = new Int32Array(this.memory.buffer);
  }

  static async make(of: CoreModule): Promise<Core> {
    const core = new Core(of);
    const instance = await WebAssembly.instantiate(of.module, { flight: { memory: core.memory } });
    core.exports = instance.exports as unknown as Exports;
    core.reset();
    return core;
  }

  private get data(): CoreData {
    return this.of.data;
  }

  private world(name: string, value: number): void {
    this.whole[2 * (this.data.world + this.data.records.World[name])] = value;
  }

  /** Begins anew, with the numbers as they are by now. */
  reset(): void {
    const { memory } = this.data;
    this.floats.set(this.of.image);
    this.floats.set(this.of.typed, memory.typed);
    this.world("moments", 8 * memory.moments);
    this.world("inputs", 8 * memory.inputs);
    this.world("record", 8 * memory.events);
    this.world("events", 8 * memory.events);
    this.world("record_columns", 0);
    this.world("record_length", 1);
    this.world("event_room", memory.event_room);
    this.world("event_limit", memory.event_room / 2);
    this.failed = "";
    for (const [number, value] of this.changed) this.exports.bind(number, value, 1);
  }

  /** Goes on with another number, by its place among the scenario's numbers. */
  set(number: number, value: number): void {
    this.changed.set(number, value);
    this.exports.bind(number, value, 0);
  }

  /** Takes a step that begins at a moment and is so long, both in units of time. */
  step(now: number, length: number, inputs: ArrayLike<number>): void {
    if (this.failed) return;
    const { memory } = this.data;
    this.floats[memory.moments] = now;
    this.floats[memory.moments + 1] = length;
    for (let n = 0; n < inputs.length; n++) this.floats[memory.inputs + n] = inputs[n];
    this.world("uneven", 0);
    this.world("steps", 1);
    try {
      this.exports.fly();
    } catch (error) {
      this.failed = String(error);
    }
    const failed = this.whole[2 * (this.data.world + this.data.records.World.failed)];
    if (failed >= 0 && !this.failed) {
      this.failed = `the numbers of ${this.data.events.bodies[failed]} blew up`;
    }
  }

  /** Returns how a craft is by now; speeds in px/s, the heading in radians. */
  craft(index: number): CraftState {
    const { Body } = this.data.records;
    const at = this.data.bodies + index * this.data.sizes.Body;
    const value = (name: string): number => this.floats[at + Body[name]];
    return {
      x: value("x"), y: value("y"), heading: value("heading"), height: value("height"),
      vx: value("vx") * this.data.unit, vy: value("vy") * this.data.unit,
      there: value("alive") !== 0,
    };
  }

  /** Returns the events of the last step. */
  events(): CoreEvent[] {
    const { Event, World } = this.data.records;
    const count = Math.min(
      this.whole[2 * (this.data.world + World.event_count)], this.data.memory.event_room,
    );
    const found: CoreEvent[] = [];
    for (let n = 0; n < count; n++) {
      const at = this.data.memory.events + n * this.data.sizes.Event;
      const whole = (name: string): number => this.whole[2 * (at + Event[name])];
      const [kind, craft, cause, other] = ["kind", "craft", "cause", "other"].map(whole);
      const bodies = this.data.events.bodies;
      found.push({
        kind: this.eventName(kind, craft, cause),
        craft: craft >= 0 && craft < this.data.crafts ? bodies[craft] : "",
        other: other >= 0 ? bodies[other] : "",
        x: this.floats[at + Event.x],
        y: this.floats[at + Event.y],
      });
    }
    return found;
  }

  private eventName(kind: number, craft: number, cause: number): string {
    const names = this.data.events;
    const named = names.codes[String(kind)];
    if (named) return named;
    const family = names.family[craft];
    if (kind === names.edge && family !== undefined) return names.edges[family][cause];
    if (kind === names.rule && family !== undefined) return names.rules[family][cause];
    if (names.contact.includes(kind)) return names.contacts[cause] ?? "contact";
    return "condition";
  }

  /** Returns the bytes of all craft's records, for comparing flights. */
  bytes(): Uint8Array {
    const count = this.data.crafts * this.data.sizes.Body;
    return new Uint8Array(this.memory.buffer, 8 * this.data.bodies, 8 * count).slice();
  }
}
