// Every number of the scenario as a field with a slider, in two sets that can be compared.

import type { NumberData } from "./data";
import { element, shown } from "./dom";

export type Side = "A" | "B";

/** The numbers as they are typed, in the sets A and B. */
export class Numbers {
  readonly root = element("div", { class: "numbers" });
  private readonly sets: Record<Side, number[]>;
  private readonly fields: { input: HTMLInputElement; slider: HTMLInputElement; row: HTMLElement }[] = [];
  side: Side = "A";

  constructor(readonly data: NumberData[], private readonly changed: (number: number, value: number) => void) {
    this.sets = { A: data.map((one) => one.value), B: data.map((one) => one.value) };
    this.build();
  }

  value(number: number): number {
    return this.sets[this.side][number];
  }

  /** Sets a number of the set at hand; what is outside of its range goes to the nearest end. */
  set(number: number, value: number): void {
    const { low, high } = this.data[number];
    if (!Number.isFinite(value)) {
      this.show(number);
      return;
    }
    this.sets[this.side][number] = Math.min(Math.max(value, low), high);
    this.show(number);
    this.changed(number, this.value(number));
  }

  reset(number: number): void {
    this.set(number, this.data[number].value);
  }

  /** Goes on with the other set. */
  use(side: Side): void {
    const before = this.sets[this.side];
    this.side = side;
    this.data.forEach((_, number) => {
      this.show(number);
      if (this.value(number) !== before[number]) this.changed(number, this.value(number));
    });
  }

  /** Copies the set at hand into the other one. */
  copyToOther(): void {
    this.sets[this.side === "A" ? "B" : "A"] = [...this.sets[this.side]];
  }

  /** Puts numbers into a set, the others as the scenario has them. */
  put(side: Side, values: Record<string, number>): void {
    this.sets[side] = this.data.map((one) => values[one.path] ?? one.value);
  }

  get differ(): boolean {
    return this.sets.A.some((value, n) => value !== this.sets.B[n]);
  }

  /** Returns the numbers of the set at hand that are not as the scenario has them. */
  get changes(): { path: string; value: number; counts_frames: boolean }[] {
    return this.data
      .map((one, n) => ({ path: one.path, value: this.value(n), counts_frames: one.counts_frames, was: one.value }))
      .filter((one) => one.value !== one.was)
      .map(({ path, value, counts_frames }) => ({ path, value, counts_frames }));
  }

  private show(number: number): void {
    const { input, slider, row } = this.fields[number];
    const value = this.value(number);
    input.value = shown(value, 8);
    slider.value = String(value);
    row.classList.toggle("changed", value !== this.data[number].value);
  }

  private build(): void {
    const groups = new Map<string, HTMLElement>();
    this.data.forEach((one, number) => {
      const name = `${one.of}: ${one.what}`;
      let group = groups.get(name);
      if (!group) {
        group = element("details", { open: !one.begins },
          element("summary", {}, name, element("span", { class: "hint" }, one.begins ? " (from the next restart on)" : "")));
        groups.set(name, group);
      }
      const [low, high] = [Math.min(one.low, one.value), Math.max(one.high, one.value)];
      one.low = low;
      one.high = high;
      const input = element("input", {
        type: "number", min: low, max: high, step: "any", value: shown(one.value, 8), "aria-label": `${one.path} in ${one.unit || "no unit"}`,
        onchange: (event) => this.set(number, Number((event.target as HTMLInputElement).value)),
      });
      const slider = element("input", {
        type: "range", min: low, max: high, step: one.step, value: one.value, "aria-label": one.path,
        title: "Double-click for the scenario's value",
        oninput: (event) => this.set(number, Number((event.target as HTMLInputElement).value)),
        ondblclick: () => this.reset(number),
      });
      const row = element("div", { class: "number" },
        element("span", { class: "key", ondblclick: () => this.reset(number) }, one.key),
        slider, input, element("span", { class: "unit" }, one.unit));
      this.fields.push({ input, slider, row });
      group.append(row);
    });
    this.root.append(...groups.values());
  }
}
