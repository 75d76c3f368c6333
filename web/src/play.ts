// Flies a scenario by hand, at one frame rate or at several from the same hands, while it is tuned.

import { Blind } from "./blind";
import { Choose } from "./choose";
import { Core, CoreModule } from "./core";
import type { CoreData, PageData } from "./data";
import { button, choice, download, element, isTyping, shown, toggle } from "./dom";
import { Stage, colourOf } from "./draw";
import { Game } from "./game";
import { Hands } from "./hands";
import { measure } from "./measure";
import { Numbers, type Side } from "./numbers";
import { Tape } from "./tape";

const SPEEDS = [1, 0.5, 0.25, 0.1, 0.05];
const SPEED_NAMES = ["full speed", "1/2", "1/4", "1/10", "1/20"];
const HITCH = 0.25;
/** How far back paths are drawn [s]. */
const TRAIL = 2;
/** Wall time after which a late picture counts as a pause [s]. */
const LONGEST_WAIT = 0.25;
/** Wall time between two readings: no eye follows faster [ms]. */
const READ_EVERY = 150;
/** Craft beyond which only the first ones are listed. */
const LISTED = 3;

export class Play {
  readonly root = element("section", { "aria-label": "Play", class: "panel" });
  private module!: CoreModule;
  private courseCore: Core | null = null;
  private games: Game[] = [];
  private tape!: Tape;
  private hands!: Hands;
  private numbers!: Numbers;
  private blind!: Blind | Choose;
  private stage!: Stage;
  private chosen = 0;
  private rates: number[];
  private t = 0;
  private running = false;
  private recordedOnly = false;
  private last = 0;
  private speed = 0;
  private asked = 0;
  private measuring = 0;
  private what = { trails: true, hits: false, velocities: false };
  private fresh = true;
  private readonly said = element("p", { class: "said", role: "status" });
  private readonly readings = element("table", { class: "readings" });
  private readonly metrics = element("table", { class: "readings" });
  private readonly startButton = button("Start", "Start or pause (P)", () => this.toggle());

  constructor(private readonly page: PageData) {
    const clock = this.data.clock;
    this.rates = [clock.rate ?? clock.tuned_at];
  }

  private get data(): CoreData {
    return this.page.cores[this.chosen].core;
  }

  async load(): Promise<void> {
    const { hands } = this.data;
    this.hands = new Hands(hands, `tinrocket bindings of ${this.page.title}`, {
      act: (action, value, stamp) => this.act(action, value, stamp),
    }, this.page.scene.up);
    this.numbers = new Numbers(this.data.numbers, (number, value) => this.tune(number, value));
    const choice = this.page.choice ? new Choose(this.page.choice, this.page.token, {
      put: (first, second) => this.compareSets(first, second),
      use: (side) => this.use(side),
      changed: () => this.hideNumbers(),
    }) : null;
    this.blind = choice ?? new Blind((side) => this.use(side), () => this.numbers.differ, () => this.hideNumbers());
    this.stage = new Stage(this.page.scene, "the arena with the craft that you fly");
    this.stage.fit();
    this.stage.canvas.tabIndex = 0;
    this.listen();
    this.build();
    this.showSide();
    if (this.page.course) {
      this.courseCore = await Core.make(await CoreModule.load(this.page.course.core));
    }
    await this.choose(0);
    choice?.begin();
  }

  /** Puts two sets of numbers, and begins anew with the first. */
  private compareSets(first: Record<string, number>, second: Record<string, number>): void {
    this.numbers.put("A", first);
    this.numbers.put("B", second);
    this.use("A");
    void this.restart();
  }

  /** Flies with another timing, one of those that the page was made with. */
  async choose(n: number): Promise<void> {
    this.chosen = n;
    this.module = await CoreModule.load(this.data);
    await this.restart();
    this.measureSoon();
  }

  /** Begins anew, with the numbers as they are; what hands do from now on is a new tape. */
  async restart(tape?: Tape): Promise<void> {
    this.tape = tape ?? new Tape(this.data.hands);
    this.recordedOnly = tape !== undefined;
    const made = await Promise.all(this.rates.map(async (rate) => {
      const core = await Core.make(this.module);
      this.numbers.data.forEach((_, number) => {
        if (this.numbers.value(number) !== this.module.data.numbers[number].value) core.set(number, this.numbers.value(number));
      });
      return new Game(core, this.data, rate, this.tape);
    }));
    this.games = made;
    this.t = 0;
    this.fresh = true;
    this.changedAt = null;
    this.point();
    this.draw();
  }

  private changedAt: number | null = null;

  private act(action: string, value: number, stamp: number): void {
    if (!this.running || this.recordedOnly) return;
    const t = this.t + Math.max((stamp - this.last) / 1000, 0) * SPEEDS[this.speed];
    this.press(action, value, t);
  }

  /** Writes down an action's new value at a moment of the flight [s]. */
  press(action: string, value: number, t: number): void {
    const when = this.tape.set(action, value, t);
    if (value !== 0) for (const game of this.games) game.pressed(action, when);
  }

  private point(): void {
    if (this.recordedOnly) return;
    for (const [name, [x, y]] of this.hands.pointers) this.tape.point(name, this.t, x, y);
  }

  /** Moves a pointer to a place of the scene. */
  move(name: string, x: number, y: number): void {
    this.hands.pointers.set(name, [x, y]);
  }

  /** Flies on to a moment [s]; returns whether any game has a new picture. */
  flyTo(t: number): boolean {
    this.t = Math.max(t, this.t);
    this.point();
    this.fresh = false;
    return this.games.map((game) => game.advance(this.t)).includes(true);
  }

  toggle(): void {
    this.running = !this.running;
    this.startButton.textContent = this.running ? "Pause" : "Start";
    this.last = performance.now();
    if (this.running) this.asked = requestAnimationFrame((now) => this.tick(now));
    else {
      cancelAnimationFrame(this.asked);
      this.tell();
    }
  }

  stop(): void {
    if (this.running) this.toggle();
    this.hands?.letGo(performance.now());
  }

  private tick(now: number): void {
    const passed = Math.min(Math.max(now - this.last, 0) / 1000, LONGEST_WAIT) * SPEEDS[this.speed];
    this.hands.poll(now, passed);
    this.last = now;
    if (this.flyTo(this.t + passed)) this.draw();
    const failed = this.games.find((game) => game.core.failed);
    if (failed) {
      this.said.textContent = `At ${shown(failed.rate)} fps ${failed.core.failed}.`;
      this.toggle();
    } else if (this.running) {
      this.asked = requestAnimationFrame((next) => this.tick(next));
    }
  }

  /** Flies one frame of the slowest rate, and the others as far. */
  stepOne(): void {
    if (this.running) this.toggle();
    this.flyTo(Math.max(...this.games.map((game) => game.pacing.end)));
    this.draw();
    this.tell();
  }

  private hitch(): void {
    for (const game of this.games) game.pacing.hitchNext(HITCH);
    this.said.textContent = `The next frame takes ${HITCH} s.`;
  }

  private tune(number: number, value: number): void {
    for (const game of this.games) game.core.set(number, value);
    if (!this.fresh && this.changedAt === null) this.changedAt = this.t;
    this.measureSoon();
    if (!this.running) this.draw();
  }

  private readonly sideButtons = {
    A: button("A", "Fly the numbers A (B switches)", () => this.use("A")),
    B: button("B", "Fly the numbers B (B switches)", () => this.use("B")),
  };

  private use(side: Side): void {
    this.numbers.use(side);
    this.showSide();
    this.tell();
  }

  private measureSoon(): void {
    clearTimeout(this.measuring);
    this.measuring = window.setTimeout(() => this.measureNow(), 120);
  }

  /** Measures the feel with the numbers as they are, at the first of the rates. */
  measureNow(): { name: string; unit: string; value: number | null }[] {
    const course = this.page.course;
    if (!course || !this.courseCore || this.blind.active) {
      this.metrics.replaceChildren();
      return [];
    }
    const core = this.courseCore;
    const places = new Map(course.core.numbers.map((one, n) => [one.path, n]));
    this.numbers.data.forEach((one, n) => {
      const place = places.get(one.path);
      if (place !== undefined && !one.begins) core.set(place, this.numbers.value(n));
    });
    const found = measure(core, course, this.rates[0]);
    this.metrics.replaceChildren(
      element("caption", {}, `Feel of ${course.name} at ${shown(this.rates[0])} fps${this.chosen ? ", timing as written" : ""}`),
      ...found.map((one) => element("tr", {}, element("th", { scope: "row" }, one.name),
        element("td", {}, one.value === null ? one.why : `${shown(one.value, 3)} ${one.unit}`))),
    );
    return found;
  }

  private colour(n: number): string {
    const last = this.page.palette.length - 1;
    if (this.games.length === 1) return colourOf(this.page.palette[Math.round(last / 2)]);
    return colourOf(this.page.palette[Math.round((n * last) / (this.games.length - 1))]);
  }

  draw(): void {
    this.stage.begin(this.viewCorner());
    this.games.forEach((game, n) => {
      const states = game.states();
      const crowd = states.length > 24;
      if (this.what.trails && !crowd) {
        const many = game.trail[0].places.length / 2;
        const points = game.trail.filter((one) => one.t >= this.t - TRAIL);
        for (let craft = 0; craft < many; craft++) {
          this.stage.trail(points.map((one) => one.places[2 * craft]), points.map((one) => one.places[2 * craft + 1]), [], this.colour(n), false);
        }
      }
      states.forEach((state, craft) => {
        const shape = this.page.scene.craft[craft];
        if (shape) this.stage.craft(shape, state, this.colour(n), this.what);
      });
      this.stage.caption(`${shown(game.rate)} fps`, this.colour(n), n);
    });
    const now = performance.now();
    if (!this.running || now - this.readAt > READ_EVERY) {
      this.readAt = now;
      this.read();
    }
  }

  private readAt = 0;

  /** Returns the low corner of the view, which is the last of all craft. */
  private viewCorner(): [number, number] | null {
    const size = this.page.scene.view;
    if (!size || !this.games[0]) return null;
    const view = this.games[0].core.craft(this.data.crafts);
    return [view.x - size[0] / 2, view.y - size[1] / 2];
  }

  private read(): void {
    const names = this.page.scene.craft.slice(0, LISTED);
    const head = element("tr", {}, element("th", { scope: "col" }, "rate"),
      ...names.map((one) => element("th", { scope: "col" }, `${one.name}, speed`)),
      element("th", { scope: "col" }, "press to picture"), element("th", { scope: "col" }, "last event"));
    const rows = this.games.map((game, n) => {
      const mark = element("span", { class: "mark" });
      mark.style.background = this.colour(n);
      const mean = game.latencies.reduce((sum, one) => sum + one, 0) / (game.latencies.length || 1);
      const event = game.events[game.events.length - 1];
      return element("tr", {}, element("th", { scope: "row" }, mark, `${shown(game.rate)} fps`),
        ...names.map((_, craft) => {
          const state = game.core.craft(craft);
          return element("td", {}, state.there ? `${Math.hypot(state.vx, state.vy).toFixed(0)} ${this.page.scene.unit}/s` : "gone");
        }),
        element("td", {}, game.latencies.length ? `${(1000 * mean).toFixed(0)} ms` : "none yet"),
        element("td", {}, event ? `${event.kind} ${event.craft}, ${event.t.toFixed(1)} s` : "none yet"));
    });
    this.readings.replaceChildren(element("caption", {}, `${this.t.toFixed(2)} s of play`), head, ...rows);
  }

  // Take it home

  get csv(): string {
    return this.tape.csv();
  }

  /** Returns the numbers that are not as the scenario has them, as a table of TOML. */
  get toml(): string {
    const lines = this.numbers.changes.map(({ path, value, counts_frames }) =>
      `${JSON.stringify(path)} = ${counts_frames ? JSON.stringify(`${value} frames`) : tomlNumber(value)}`);
    return [`# numbers of ${JSON.stringify(this.page.file).slice(1, -1)} that were changed`, "[numbers]", ...lines, ""].join("\n");
  }

  /** Returns the command that flies the recorded tape with the numbers as they are. */
  get command(): string {
    const numbers = this.numbers.changes.map(({ path, value, counts_frames }) =>
      ` --vary ${quoted(`${path}=${value}${counts_frames ? " frames" : ""}`)}`).join("");
    const hitches = this.games[0]?.pacing.hitches.length ? " (without the hitches)" : "";
    return `tinrocket run ${quoted(this.page.file)} --rate ${shown(this.rates[0], 8)} --tape hands.csv --duration ${shown(Math.max(this.t, 0.1), 6)}${numbers}${hitches}`;
  }

  private tell(): void {
    if (this.changedAt !== null) {
      this.said.textContent = `Numbers changed ${this.changedAt.toFixed(2)} s after the start; the tape alone repeats what you did only after a restart.`;
    }
  }

  private async copy(text: string, what: string): Promise<void> {
    try {
      await navigator.clipboard.writeText(text);
      this.said.textContent = `${what} is copied.`;
    } catch {
      this.said.textContent = text;
    }
  }

  private async save(): Promise<void> {
    const answer = await fetch("save", {
      method: "POST",
      headers: { "content-type": "application/json", "x-tinrocket-token": this.page.token },
      body: JSON.stringify({ tape: this.csv, numbers: this.numbers.changes }),
    });
    this.said.textContent = await answer.text();
  }

  // The page

  /** Marks the set that is flown, but for a blind test. */
  private showSide(): void {
    for (const side of ["A", "B"] as const) {
      const one = this.sideButtons[side];
      one.setAttribute("aria-pressed", String(!this.blind.active && side === this.numbers.side));
      one.disabled = this.blind.active;
    }
  }

  private hideNumbers(): void {
    this.showSide();
    this.numbers.root.hidden = this.blind.active;
    this.measureSoon();
  }

  private rateInput: HTMLInputElement | null = null;

  private rateField(): HTMLElement {
    const input = this.rateInput = element("input", {
      type: "text", value: this.rates.map((one) => shown(one, 8)).join(", "), size: 12, inputmode: "decimal",
      "aria-label": "frame rates, up to three", title: "One rate, or two or three that fly from the same hands",
      onchange: (event) => {
        const typed = (event.target as HTMLInputElement).value.split(/[,;\s]+/).map(Number)
          .filter((rate) => rate >= 1 && rate <= 1000).slice(0, 3);
        if (typed.length > 0) this.rates = typed;
        (event.target as HTMLInputElement).value = this.rates.join(", ");
        void this.restart();
        this.measureSoon();
      },
    });
    return element("label", { class: "field" }, "frame rates ", input, " fps");
  }

  private build(): void {
    const choosing = this.page.choice !== null; // then nothing may tell which numbers are flown
    const sides = element("div", { class: "sides", role: "group", "aria-label": "two sets of numbers" },
      ...(choosing ? [] : [this.sideButtons.A, this.sideButtons.B,
        button("Copy to the other", "Both sets are then the same", () => this.numbers.copyToOther())]),
      this.blind.root);
    const timings = this.page.cores.length > 1
      ? [choice("timing ", this.page.cores.map((one) => one.name), 0, (n) => void this.choose(n))] : [];
    const fixed = this.data.fixed.length > 0 && !choosing
      ? [element("details", { class: "fixed" }, element("summary", {}, "Numbers that cannot change while it flies"),
        element("ul", {}, ...this.data.fixed.map((one) => element("li", {}, `${one.path}: ${one.reason}`))))] : [];
    const home = element("div", { class: "controls", hidden: choosing },
      button("Tape as CSV", "Downloads what your hands did", () => download("hands.csv", this.csv)),
      button("Numbers as TOML", "Downloads the changed numbers", () => download("numbers.toml", this.toml)),
      button("Copy the command", "Flies the same in Python", () => void this.copy(this.command, "The command")),
      ...(this.page.token ? [button("Save beside the scenario", "Writes both beside the scenario's file", () => void this.save())] : []));
    this.root.append(
      element("h2", {}, "Play"),
      element("p", { class: "hint" }, "P starts and pauses, R begins anew, full stop takes one frame, H makes a frame hitch, L flies in slow motion, B flies the other of two."),
      element("div", { class: "play" },
        element("div", { class: "flight" }, this.stage.canvas, this.hands.touch,
          element("div", { class: "controls" }, this.startButton,
            button("Restart", "Begin anew (R)", () => void this.restart()),
            button("One frame", "One frame (full stop)", () => this.stepOne()),
            button("Hitch", `The next frame takes ${HITCH} s (H)`, () => this.hitch()),
            this.speedField, this.rateField(), ...timings,
            button("Its own tape", "Flies the scenario's tape instead of your hands", () => void this.restart(Tape.recorded(this.data.hands))),
            toggle("trails", true, (on) => { this.what.trails = on; this.draw(); }),
            toggle("hit shapes", false, (on) => { this.what.hits = on; this.draw(); }),
            toggle("velocities", false, (on) => { this.what.velocities = on; this.draw(); })),
          this.said, this.readings, home),
        element("div", { class: "tuning" }, element("h3", {}, choosing ? "Which feels better?" : "Numbers"), sides, this.numbers.root, ...fixed, this.metrics,
          element("details", {}, element("summary", {}, "Keys and buttons"), this.hands.root))),
    );
  }

  private readonly speedField = choice("speed ", SPEED_NAMES, 0, (n) => { this.speed = n; });

  private listen(): void {
    const canvas = this.stage.canvas;
    const follow = (event: PointerEvent): void => {
      const box = canvas.getBoundingClientRect();
      const [across, down] = [event.clientX - box.left, event.clientY - box.top];
      const names = [...this.hands.pointers.keys()];
      const which = names.length > 1 && across > box.width / 2 ? 1 : 0;
      if (names[which] !== undefined) this.move(names[which], ...this.stage.at(across, down));
    };
    canvas.addEventListener("pointermove", follow);
    canvas.addEventListener("pointerdown", follow);
    addEventListener("resize", () => this.draw());
    addEventListener("blur", () => this.hands.letGo(performance.now()));
    document.addEventListener("visibilitychange", () => { if (document.hidden) this.stop(); });
  }

  /** Handles a key; returns whether it meant something. */
  key(event: KeyboardEvent, down: boolean): boolean {
    if (isTyping(event.target) || event.ctrlKey || event.metaKey || event.altKey) return false;
    const onControl = event.target instanceof HTMLButtonElement || event.target instanceof HTMLInputElement;
    if (down && event.repeat) return this.running;
    const commands: Record<string, () => void> = {
      p: () => this.toggle(),
      r: () => void this.restart(),
      ".": () => this.stepOne(),
      h: () => this.hitch(),
      l: () => {
        const select = this.speedField.querySelector("select")!;
        this.speed = this.speed === 0 ? 2 : 0;
        select.selectedIndex = this.speed;
      },
      b: () => (this.blind.active ? this.blind.swap() : this.use(this.numbers.side === "A" ? "B" : "A")),
    };
    if ((!onControl || this.running) && this.hands.key(event.code, down, event.timeStamp)) {
      event.preventDefault();
      return true;
    }
    const act = down ? commands[event.key.toLowerCase()] : undefined;
    if (!act) return false;
    event.preventDefault();
    act();
    return true;
  }

  // For tests and for whoever drives the page from its console

  /** Returns the bytes of all craft of each game, in hexadecimal. */
  states(): string[] {
    return this.games.map((game) =>
      Array.from(game.core.bytes(), (one) => one.toString(16).padStart(2, "0")).join(""));
  }

  async fly(rates: number[], own = false): Promise<void> {
    this.rates = rates;
    if (this.rateInput) this.rateInput.value = rates.join(", ");
    await this.restart(own ? Tape.recorded(this.data.hands) : undefined);
  }

  setNumber(path: string, value: number): void {
    const number = this.numbers.data.findIndex((one) => one.path === path);
    if (number >= 0) this.numbers.set(number, value);
  }

  get steps(): number[] {
    return this.games.map((game) => game.stepCount);
  }

  get now(): number {
    return this.t;
  }
}

function tomlNumber(value: number): string {
  const text = String(value);
  return /[.e]/.test(text) ? text : `${text}.0`;
}

function quoted(text: string): string {
  return /^[\w./=:-]+$/.test(text) ? text : `'${text.replaceAll("'", `'\\''`)}'`;
}
