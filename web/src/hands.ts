// Keyboard, pointer, touch and gamepads as the actions of a scenario.

import type { HandsData } from "./data";
import { element } from "./dom";

/** What presses an action: keys by their codes, and parts of gamepads such as `pad 0 button 2`. */
type Bindings = Record<string, string[]>;

const DEAD_ZONE = 0.15;
/** How fast keys move a pointer [px/s]. */
const POINTER_SPEED = 420;
const POINTER_KEYS = [
  { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] },
  { KeyA: [-1, 0], KeyD: [1, 0], KeyW: [0, -1], KeyS: [0, 1] },
] as Record<string, [number, number]>[];

export interface HandsUser {
  /** An action has another value, at a moment of the browser's clock [ms]. */
  act(action: string, value: number, stamp: number): void;
}

export class Hands {
  readonly root = element("div", { class: "bindings" });
  readonly touch = element("div", { class: "touch" });
  bindings: Bindings;
  /** Where each pointer is by now. */
  readonly pointers = new Map<string, [number, number]>();
  private readonly down = new Set<string>();
  private readonly axes = new Map<string, number>();
  private readonly values = new Map<string, number>();
  private waiting: { action: string; place: number } | null = null;

  constructor(private readonly data: HandsData, private readonly store: string, private readonly user: HandsUser, private readonly up: number) {
    this.bindings = this.stored() ?? this.first();
    for (const [name, place] of Object.entries(data.pointers)) this.pointers.set(name, [...place]);
    this.show();
    this.buildTouch();
  }

  private first(): Bindings {
    const pads: Record<string, string> = {};
    let buttonsUsed = 0;
    let axesUsed = 0;
    const sides: Record<string, string> = { left: "pad 0 axis 0 -", right: "pad 0 axis 0 +", up: "pad 0 axis 1 -", down: "pad 0 axis 1 +" };
    for (const one of this.data.actions) {
      if (one.analog) pads[one.name] = `pad 0 axis ${axesUsed++}`;
      else pads[one.name] = sides[one.name] ?? `pad 0 button ${buttonsUsed++}`;
    }
    return Object.fromEntries(this.data.actions.map((one) => [one.name, [...(this.data.keys[one.name] ?? []), pads[one.name]]]));
  }

  private stored(): Bindings | null {
    try {
      const text = localStorage.getItem(this.store);
      const found: unknown = text ? JSON.parse(text) : null;
      if (found === null || typeof found !== "object") return null;
      const first = this.first();
      for (const [name, keys] of Object.entries(found as Bindings)) {
        if (name in first && Array.isArray(keys)) first[name] = keys.map(String);
      }
      return first;
    } catch {
      return null;
    }
  }

  private keep(): void {
    try {
      localStorage.setItem(this.store, JSON.stringify(this.bindings));
    } catch {
      // a page that may not store anything keeps its bindings as long as it is open
    }
  }

  /** Handles a key that goes down or up; returns whether it is bound to anything. */
  key(code: string, down: boolean, stamp: number): boolean {
    if (this.waiting && down) {
      this.bind(code);
      return true;
    }
    const bound = Object.values(this.bindings).some((keys) => keys.includes(code));
    const moves = [...this.pointers.keys()].some((_, n) => POINTER_KEYS[n] && code in POINTER_KEYS[n]);
    if (!bound && !moves) return false;
    if (down) this.down.add(code);
    else this.down.delete(code);
    this.tell(stamp);
    return true;
  }

  /** Lets go of everything, as when the page is left. */
  letGo(stamp: number): void {
    this.down.clear();
    this.axes.clear();
    this.tell(stamp);
  }

  /** Presses or lets go of an action by itself, as touch does. */
  hold(action: string, down: boolean, stamp: number): void {
    if (down) this.down.add(`touch ${action}`);
    else this.down.delete(`touch ${action}`);
    this.tell(stamp);
  }

  /** Reads the gamepads, and moves pointers by keys for a time that has passed [s]. */
  poll(stamp: number, passed: number): void {
    const pads = navigator.getGamepads?.() ?? [];
    let any = false;
    for (const pad of pads) {
      if (!pad) continue;
      any = true;
      pad.buttons.forEach((one, n) => {
        const name = `pad ${pad.index} button ${n}`;
        if (one.pressed && this.waiting) this.bind(name);
        if (one.pressed) this.down.add(name);
        else this.down.delete(name);
      });
      pad.axes.forEach((value, n) => this.axes.set(`pad ${pad.index} axis ${n}`, Math.abs(value) < DEAD_ZONE ? 0 : value));
    }
    if (any) this.tell(stamp);
    [...this.pointers].forEach(([name, [x, y]], n) => {
      for (const [code, [dx, dy]] of Object.entries(POINTER_KEYS[n] ?? {})) {
        if (!this.down.has(code)) continue;
        x += dx * POINTER_SPEED * passed;
        y += (this.up > 0 ? -dy : dy) * POINTER_SPEED * passed;
      }
      this.pointers.set(name, [x, y]);
    });
  }

  /** Tells of every action with a value other than before. */
  private tell(stamp: number): void {
    for (const one of this.data.actions) {
      const value = this.valueOf(one.name, one.analog);
      if (value === (this.values.get(one.name) ?? 0)) continue;
      this.values.set(one.name, value);
      this.user.act(one.name, value, stamp);
    }
  }

  private valueOf(action: string, analog: boolean): number {
    const keys = this.bindings[action] ?? [];
    if (!analog) {
      const pressed = keys.some((key) => this.down.has(key) || this.half(key) > 0.5);
      return pressed || this.down.has(`touch ${action}`) ? 1 : 0;
    }
    const [low, high, axis] = keys;
    const tilt = this.axes.get(axis ?? "") ?? 0;
    const pressed = Number(this.down.has(high) || this.down.has(`touch ${action} high`)) - Number(this.down.has(low) || this.down.has(`touch ${action} low`));
    return pressed !== 0 ? pressed : tilt;
  }

  /** Returns how far an axis is tilted to one of its sides, such as `pad 0 axis 1 -`. */
  private half(key: string): number {
    const [, axis, sign] = /^(pad \d+ axis \d+) ([-+])$/.exec(key) ?? [];
    if (!axis) return 0;
    return (this.axes.get(axis) ?? 0) * (sign === "+" ? 1 : -1);
  }

  private bind(key: string): void {
    if (!this.waiting) return;
    if (key !== "Escape") this.bindings[this.waiting.action][this.waiting.place] = key;
    this.waiting = null;
    this.keep();
    this.show();
  }

  private show(): void {
    const rows = this.data.actions.map((one) => element("div", { class: "binding" },
      element("span", { class: "key" }, one.name),
      ...(this.bindings[one.name] ?? []).map((key, place) => element("button", {
        type: "button", title: `Change what presses ${one.name}`,
        onclick: (event) => {
          this.waiting = { action: one.name, place };
          (event.target as HTMLElement).textContent = "press a key or button …";
        },
      }, named(key))),
    ));
    const back = element("button", { type: "button", onclick: () => { this.bindings = this.first(); this.keep(); this.show(); } }, "As at first");
    const pointers = [...this.pointers.keys()].map((name, n) => element("p", { class: "hint" },
      `The pointer “${name}” follows the mouse or a finger${this.pointers.size > 1 ? ` on the ${n === 0 ? "left" : "right"} half` : ""}, and ${n === 0 ? "arrow keys" : n === 1 ? "W, A, S and D" : "nothing else"}.`));
    this.root.replaceChildren(...rows, ...pointers, ...(rows.length > 0 ? [back] : []));
  }

  private buildTouch(): void {
    const one = (label: string, name: string): HTMLElement => {
      const made = element("button", { type: "button", class: "pad", "aria-label": `hold ${label}` }, label);
      const hold = (down: boolean) => (event: Event): void => {
        event.preventDefault();
        this.hold(name, down, event.timeStamp);
      };
      made.addEventListener("pointerdown", hold(true));
      for (const end of ["pointerup", "pointercancel", "pointerleave"]) made.addEventListener(end, hold(false));
      return made;
    };
    for (const action of this.data.actions) {
      if (action.analog) this.touch.append(one(`${action.name} −`, `${action.name} low`), one(`${action.name} +`, `${action.name} high`));
      else this.touch.append(one(action.name, action.name));
    }
  }
}

/** Returns what a key is called. */
function named(key: string): string {
  const arrows: Record<string, string> = { ArrowLeft: "←", ArrowRight: "→", ArrowUp: "↑", ArrowDown: "↓", Space: "space" };
  return arrows[key] ?? key.replace(/^Key|^Digit/, "");
}
