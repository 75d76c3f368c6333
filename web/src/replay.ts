// Replays flights: at each moment every run shows the last frame that it really had by then.

import { type PageData, type RunData, unpackedFloats } from "./data";
import { button, choice, element, isTyping, shown, toggle } from "./dom";
import { type Drawn, Stage, colourOf } from "./draw";

const SPEEDS = [1, 0.5, 0.25, 0.1, 0.05];
const SPEED_NAMES = ["full speed", "1/2", "1/4", "1/10", "1/20"];
/** A frame counts as shown from this much before its time on [s]. */
const ROUNDING = 1e-9;
const MOST_PANELS = 6;

/** The frames of one run, unpacked. */
class Run {
  private readonly firsts: number[] = [];
  readonly duration: number;

  private constructor(
    readonly data: RunData, private readonly states: Float64Array,
    readonly times: Float64Array, private readonly pressedOf: Float64Array,
  ) {
    let first = 0;
    for (const count of data.counts) {
      this.firsts.push(first);
      first += count;
    }
    this.duration = times.reduce((most, t) => Math.max(most, t), 0);
  }

  static async load(data: RunData): Promise<Run> {
    const blobs = await Promise.all([data.states, data.times, data.pressed].map(unpackedFloats));
    return new Run(data, blobs[0], blobs[1], blobs[2]);
  }

  /** Returns which of a craft's rows is shown at a moment. */
  row(craft: number, t: number): number {
    const first = this.firsts[craft];
    let low = first;
    let high = first + this.data.counts[craft] - 1;
    while (low < high) {
      const middle = (low + high + 1) >> 1;
      if (this.times[middle] <= t + ROUNDING) low = middle;
      else high = middle - 1;
    }
    return low;
  }

  firstRow(craft: number): number {
    return this.firsts[craft];
  }

  value(name: string, row: number, otherwise = 0): number {
    const column = this.data.columns.indexOf(name);
    return column < 0 ? otherwise : this.states[column * this.times.length + row];
  }

  column(name: string, from: number, to: number): Float64Array {
    const begin = this.data.columns.indexOf(name) * this.times.length;
    return this.states.subarray(begin + from, begin + to);
  }

  pressed(t: number): string[] {
    const row = this.row(0, t) - this.firsts[0];
    const count = this.data.counts[0];
    return this.data.actions.filter((_, n) => this.pressedOf[n * count + row] !== 0).map((name) => {
      const value = this.pressedOf[this.data.actions.indexOf(name) * count + row];
      return value === 1 ? name : `${name} ${shown(value, 2)}`;
    });
  }
}

export class Replay {
  readonly root = element("section", { "aria-label": "Replay", class: "panel" });
  private runs: Run[] = [];
  private hidden = new Set<number>();
  private stages: Stage[] = [];
  private readonly stagesRoot = element("div", { class: "stages" });
  private readonly moment = element("output", { class: "moment" });
  private readonly inputs = element("div", { class: "inputs" });
  private readonly said = element("p", { class: "said", role: "status" });
  private readonly scrubber: HTMLInputElement;
  private readonly playButton: HTMLButtonElement;
  private t = 0;
  private playing = false;
  private last = 0;
  private speed = 0;
  private together = true;
  private what = { trails: true, hits: false, velocities: false };
  private duration = 0;
  private asked = 0;

  constructor(private readonly page: PageData) {
    this.scrubber = element("input", {
      type: "range", min: 0, max: 1, step: "any", value: 0, "aria-label": "moment of the flight",
      oninput: () => this.go(Number(this.scrubber.value)),
    });
    this.playButton = button("Play", "Play or pause (space)", () => this.toggle());
  }

  async load(): Promise<void> {
    this.runs = await Promise.all(this.page.runs.map((one) => Run.load(one)));
    this.duration = Math.max(...this.runs.map((one) => one.duration));
    this.scrubber.max = String(this.duration);
    this.build();
    this.arrange();
    const linked = /[#&]t=([0-9.]+)/.exec(location.hash);
    this.go(linked ? Number(linked[1]) : 0);
    addEventListener("resize", () => this.draw());
    matchMedia("(prefers-color-scheme: dark)").addEventListener("change", () => this.legend());
  }

  private readonly legendRoot = element("div", { class: "legend", role: "group", "aria-label": "runs shown" });

  private build(): void {
    const controls = element("div", { class: "controls" },
      this.playButton,
      button("◀ frame", "The picture before (left arrow)", () => this.stepTo(-1)),
      button("frame ▶", "The next picture of any run (right arrow)", () => this.stepTo(1)),
      button("Next difference", "The next outcome that differs (N)", () => this.nextDifference()),
      choice("speed ", SPEED_NAMES, 0, (n) => { this.speed = n; }),
      toggle("side by side", false, (on) => { this.together = !on; this.arrange(); this.draw(); }),
      toggle("trails", true, (on) => { this.what.trails = on; this.draw(); }),
      toggle("hit shapes", false, (on) => { this.what.hits = on; this.draw(); }),
      toggle("velocities", false, (on) => { this.what.velocities = on; this.draw(); }),
      button("Link to this moment", "Copies a link that opens here", () => void this.link()),
    );
    this.legend();
    this.root.append(
      element("h2", {}, "Replay"),
      element("p", { class: "hint" },
        "Each run shows only the frames that it had. Space plays, arrow keys step, N jumps to the next difference."),
      this.legendRoot, this.stagesRoot,
      element("div", { class: "scrub" }, this.scrubber, this.moment),
      controls, this.inputs, this.said,
    );
  }

  private legend(): void {
    this.legendRoot.replaceChildren(...this.runs.map((run, n) => {
      const box = toggle(run.data.label, !this.hidden.has(n), (on) => {
        if (on) this.hidden.delete(n);
        else this.hidden.add(n);
        this.arrange();
        this.draw();
      });
      const mark = element("span", { class: "mark" });
      mark.style.background = colourOf(run.data.colours);
      box.insertBefore(mark, box.childNodes[1]);
      return box;
    }));
  }

  private get visible(): Run[] {
    return this.runs.filter((_, n) => !this.hidden.has(n));
  }

  private arrange(): void {
    const many = this.together ? 1 : Math.min(Math.max(this.visible.length, 1), MOST_PANELS);
    this.stages = Array.from({ length: many }, (_, n) => {
      const what = this.together ? "all runs" : this.visible[n]?.data.label ?? "no run";
      return new Stage(this.page.scene, `the arena with the craft of ${what}`);
    });
    this.stagesRoot.dataset.many = String(many);
    this.stagesRoot.replaceChildren(...this.stages.map((one) => {
      one.fit();
      return one.canvas;
    }));
  }

  /** Shows a moment [s]. */
  go(t: number): void {
    this.t = Math.min(Math.max(t, 0), this.duration);
    this.scrubber.value = String(this.t);
    this.draw();
  }

  get now(): number {
    return this.t;
  }

  /** Returns what is shown of a craft in a run by now. */
  shownOf(run: number, craft: number): Drawn & { t: number } {
    const one = this.runs[run];
    const row = one.row(craft, this.t);
    return { ...this.drawnOf(one, craft, row), t: one.times[row] };
  }

  private drawnOf(run: Run, craft: number, row: number): Drawn {
    const [zero, sign] = this.page.scene.craft[craft]?.heading ?? [0, 1];
    return {
      x: run.value("x", row), y: run.value("y", row),
      vx: run.value("vx", row), vy: run.value("vy", row),
      heading: zero + (sign * run.value("heading", row) * Math.PI) / 180,
      there: run.value("alive", row, 1) !== 0,
    };
  }

  toggle(): void {
    this.playing = !this.playing;
    if (this.playing && this.t >= this.duration) this.t = 0;
    this.playButton.textContent = this.playing ? "Pause" : "Play";
    this.last = performance.now();
    if (this.playing) this.asked = requestAnimationFrame((now) => this.tick(now));
    else cancelAnimationFrame(this.asked);
  }

  stop(): void {
    if (this.playing) this.toggle();
  }

  private tick(now: number): void {
    const passed = Math.min(Math.max(now - this.last, 0), 250) / 1000;
    this.last = now;
    this.go(this.t + passed * SPEEDS[this.speed]);
    if (this.t >= this.duration) this.toggle();
    else if (this.playing) this.asked = requestAnimationFrame((next) => this.tick(next));
  }

  /** Goes to the next moment at which any visible run has a new picture, or to the one before. */
  stepTo(way: 1 | -1): void {
    this.stop();
    let found = way > 0 ? this.duration : 0;
    for (const run of this.visible) {
      const row = run.row(0, this.t);
      for (const at of [row - 1, row, row + 1]) {
        const t = at >= run.firstRow(0) && at < run.firstRow(0) + run.data.counts[0] ? run.times[at] : NaN;
        if (way > 0 && t > this.t + ROUNDING) found = Math.min(found, t);
        if (way < 0 && t < this.t - ROUNDING) found = Math.max(found, t);
      }
    }
    this.go(found);
  }

  /** Jumps to the next outcome of any visible run that differs from its reference. */
  nextDifference(): void {
    this.stop();
    const every = this.visible
      .flatMap((run) => run.data.differences.map((one) => ({ ...one, label: run.data.label })))
      .sort((a, b) => a.t - b.t);
    const next = every.find((one) => one.t > this.t + 1e-6) ?? every[0];
    if (!next) {
      this.said.textContent = "No run has another outcome than its reference.";
      return;
    }
    this.go(next.t);
    this.said.textContent = `${next.label}: ${next.text} at ${next.t.toFixed(2)} s`;
  }

  private async link(): Promise<void> {
    history.replaceState(null, "", `#t=${this.t.toFixed(4)}`);
    try {
      await navigator.clipboard.writeText(location.href);
      this.said.textContent = "The link is copied, and in the address bar.";
    } catch {
      this.said.textContent = "The link is in the address bar.";
    }
  }

  /** Handles a key; returns whether it meant something. */
  key(event: KeyboardEvent): boolean {
    if (isTyping(event.target) || event.ctrlKey || event.metaKey || event.altKey) return false;
    const onSlider = event.target === this.scrubber;
    const keys: Record<string, () => void> = {
      " ": () => this.toggle(),
      ArrowRight: () => this.stepTo(1),
      ArrowLeft: () => this.stepTo(-1),
      Home: () => this.go(0),
      End: () => this.go(this.duration),
      n: () => this.nextDifference(),
    };
    if (event.key === " " && event.target instanceof HTMLButtonElement) return false;
    const act = keys[event.key.length === 1 ? event.key.toLowerCase() : event.key];
    if (!act || (onSlider && event.key !== " " && event.key !== "n")) return false;
    event.preventDefault();
    act();
    return true;
  }

  draw(): void {
    const visible = this.visible;
    this.stages.forEach((stage, n) => {
      const mine = this.together ? visible : visible.slice(n, n + 1);
      stage.begin(this.cornerOf(mine[0]));
      for (const run of mine) this.drawRun(stage, run);
      if (!this.together && mine[0]) stage.caption(mine[0].data.label, colourOf(mine[0].data.colours));
    });
    this.moment.textContent = `${this.t.toFixed(3)} s of ${this.duration.toFixed(2)} s`;
    this.scrubber.setAttribute("aria-valuetext", `${this.t.toFixed(2)} s`);
    this.inputs.replaceChildren(...visible.filter((run) => run.data.actions.length > 0).slice(0, 8).map((run) => {
      const mark = element("span", { class: "mark" });
      mark.style.background = colourOf(run.data.colours);
      const down = run.pressed(this.t);
      return element("span", { class: "pressed" }, mark, `${run.data.label}: ${down.join(", ") || "nothing pressed"}`);
    }));
  }

  private cornerOf(run: Run | undefined): [number, number] | null {
    if (!run || !run.data.columns.includes("view_x")) return this.page.scene.view ? [0, 0] : null;
    const row = run.row(0, this.t);
    return [run.value("view_x", row), run.value("view_y", row)];
  }

  private drawRun(stage: Stage, run: Run): void {
    const colour = colourOf(run.data.colours);
    const crowd = run.data.craft.length > 24;
    run.data.craft.forEach((_, craft) => {
      const row = run.row(craft, this.t);
      const first = run.firstRow(craft);
      if (this.what.trails && !crowd) {
        const xs = run.column("x", first, row + 1);
        const ys = run.column("y", first, row + 1);
        const dots: number[] = [];
        for (let k = 0; k * 0.25 <= this.t; k++) dots.push(run.row(craft, k * 0.25) - first);
        stage.trail(xs, ys, [...new Set(dots)], colour, run.data.reference);
      }
      const shape = this.page.scene.craft[craft];
      if (shape) stage.craft(shape, this.drawnOf(run, craft, row), colour, this.what, run.data.reference);
    });
  }
}
