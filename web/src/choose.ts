// Pairs of numbers flown blind: the answers say which numbers are preferred.

import type { ChoiceData } from "./data";
import { button, element } from "./dom";
import type { Side } from "./numbers";

/** What the choice does to the page. */
export interface Chooser {
  /** Puts the numbers of both sets, and begins anew with the first. */
  put(first: Record<string, number>, second: Record<string, number>): void;
  use(side: Side): void;
  changed(): void;
}

export class Choose {
  readonly root = element("div", { class: "blind" });
  active = true;
  private at: 0 | 1 = 0;
  private busy = false;
  private readonly said = element("div", { role: "status", class: "said" });

  constructor(private data: ChoiceData, private readonly token: string, private readonly page: Chooser) {
    this.show();
  }

  begin(): void {
    this.at = 0;
    this.page.put(this.data.first, this.data.second);
    this.page.changed();
    this.show();
  }

  /** Flies the other of the two. */
  swap(): void {
    this.at = this.at === 0 ? 1 : 0;
    this.page.use(this.at === 0 ? "A" : "B");
    this.show();
  }

  async answer(better: "first" | "second" | "same"): Promise<void> {
    if (this.busy) return;
    this.busy = true;
    try {
      const answer = await fetch("answer", {
        method: "POST",
        headers: { "content-type": "application/json", "x-tinrocket-token": this.token },
        body: JSON.stringify({ better, answered: this.data.answered }),
      });
      if (!answer.ok) throw new Error(await answer.text());
      this.data = (await answer.json()) as ChoiceData;
      this.tell(`${this.data.answered} answered. Here are the next two.`);
      this.begin();
    } catch (error) {
      this.tell(error instanceof TypeError ? "The server has ended: the answer is not kept." : String(error));
    } finally {
      this.busy = false;
    }
  }

  /** Shows what the answers say so far. */
  private reveal(): void {
    this.said.replaceChildren(element("pre", {}, this.data.lines.join("\n")));
  }

  private tell(text: string): void {
    this.said.replaceChildren(element("p", {}, text));
  }

  private show(): void {
    this.root.replaceChildren(
      element("p", {}, `Pair ${this.data.answered + 1}: you fly the ${this.at === 0 ? "first" : "second"} of two.`),
      button("Other one", "Fly the other of the two (B)", () => this.swap()),
      button("First is better", "Answer, and go on with the next pair", () => void this.answer("first")),
      button("Second is better", "Answer, and go on with the next pair", () => void this.answer("second")),
      button("I feel no difference", "Answer, and go on with the next pair", () => void this.answer("same")),
      button("What the answers say", "Shows the preferred numbers so far", () => this.reveal()),
      this.said,
    );
  }
}
