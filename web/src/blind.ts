// A blind test of two sets of numbers: can you tell them apart, and how surely?

import { button, element } from "./dom";
import type { Side } from "./numbers";

/** Returns the chance to guess at least so many of so many right. */
export function chanceOfGuessing(right: number, tries: number): number {
  let sum = 0;
  let ways = 1;
  for (let k = 0; k <= tries; k++) {
    if (k > 0) ways = (ways * (tries - k + 1)) / k;
    if (k >= right) sum += ways;
  }
  return sum / 2 ** tries;
}

export class Blind {
  readonly root = element("div", { class: "blind" });
  active = false;
  /** Which set is flown as “first”: hidden until the guess. */
  private first: Side = "A";
  private at: 0 | 1 = 0;
  private right = 0;
  private tries = 0;
  private readonly said = element("p", { role: "status", class: "said" });

  constructor(private readonly use: (side: Side) => void, private readonly ready: () => boolean, private readonly changed: () => void) {
    this.show();
  }

  /** Flies the other of the two. */
  swap(): void {
    this.at = this.at === 0 ? 1 : 0;
    this.apply();
  }

  private apply(): void {
    const other: Side = this.first === "A" ? "B" : "A";
    this.use(this.at === 0 ? this.first : other);
    this.show();
  }

  private begin(): void {
    if (!this.ready()) {
      this.said.textContent = "A and B are the same; change a number of one of them first.";
      return;
    }
    this.active = true;
    this.right = this.tries = 0;
    this.next();
    this.changed();
  }

  private next(): void {
    this.first = crypto.getRandomValues(new Uint8Array(1))[0] % 2 === 0 ? "A" : "B";
    this.at = 0;
    this.apply();
  }

  private guess(first: Side): void {
    this.tries += 1;
    if (first === this.first) this.right += 1;
    const chance = 100 * chanceOfGuessing(this.right, this.tries);
    this.said.textContent = `The first was ${this.first}. ${this.right} of ${this.tries} right; `
      + `guessing alone does as well in ${chance < 1 ? chance.toFixed(1) : chance.toFixed(0)} % of tests.`;
    this.next();
  }

  private end(): void {
    this.active = false;
    this.use("A");
    this.show();
    this.changed();
  }

  private show(): void {
    const controls = this.active
      ? [
        element("p", {}, `You fly the ${this.at === 0 ? "first" : "second"} of two. Which is which?`),
        button("Other one", "Fly the other of the two (B)", () => this.swap()),
        button("First is A", "Guess", () => this.guess("A")),
        button("First is B", "Guess", () => this.guess("B")),
        button("End", "End the blind test", () => this.end()),
      ]
      : [button("Blind test", "A and B in an order that is hidden: which is which?", () => this.begin())];
    this.root.replaceChildren(...controls, this.said);
  }
}
