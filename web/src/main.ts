// The page: what was written into it is read, and each part is built when it is first shown.

import { readData, unpacked } from "./data";
import { element } from "./dom";
import { Play } from "./play";
import { Replay } from "./replay";

type View = "report" | "replay" | "play";

async function begin(): Promise<void> {
  const page = readData();
  const main = document.querySelector("main")!;
  const report = document.getElementById("report");
  const replay = page.runs?.length > 0 ? new Replay(page) : null;
  const play = page.cores?.length > 0 ? new Play(page) : null;
  const views: [View, string, HTMLElement | null][] = [
    ["report", "Report", report], ["replay", "Replay", replay?.root ?? null], ["play", "Play", play?.root ?? null],
  ];
  const there = views.filter(([, , root]) => root !== null);
  const tabs = element("div", { class: "tabs", role: "tablist" });
  const tabOf = new Map<View, HTMLElement>();
  let shown: View = there[0]?.[0] ?? "report";
  const show = (view: View, focus = false): void => {
    shown = view;
    for (const [name, , root] of there) {
      root!.hidden = name !== view;
      const tab = tabOf.get(name)!;
      tab.setAttribute("aria-selected", String(name === view));
      tab.tabIndex = name === view ? 0 : -1;
      if (name === view && focus) tab.focus();
    }
    if (view !== "replay") replay?.stop();
    if (view !== "play") play?.stop();
    if (view === "replay") replay?.draw();
    if (view === "play") play?.draw();
  };
  for (const [name, label, root] of there) {
    root!.id = name;
    root!.tabIndex = -1;
    const tab = element("button", {
      type: "button", role: "tab", id: `tab-${name}`, "aria-controls": name,
      onclick: (event) => {
        show(name);
        if ((event as MouseEvent).detail > 0) root!.focus({ preventScroll: true }); // so that keys play
      },
      onkeydown: (event) => {
        const way = { ArrowRight: 1, ArrowLeft: -1 }[(event as KeyboardEvent).key];
        if (!way) return;
        event.preventDefault();
        event.stopPropagation();
        const at = there.findIndex(([one]) => one === name);
        show(there[(at + way + there.length) % there.length][0], true);
      },
    }, label);
    tabOf.set(name, tab);
    tabs.append(tab);
    if (there.length > 1) {
      root!.setAttribute("role", "tabpanel");
      root!.setAttribute("aria-labelledby", tab.id);
    }
    if (root !== report) main.append(root!);
  }
  if (there.length > 1) main.before(tabs);
  await Promise.all([replay?.load(), play?.load()]);
  addEventListener("keydown", (event) => {
    if (event.target instanceof HTMLElement && event.target.role === "tab") return;
    if (shown === "replay") replay?.key(event);
    if (shown === "play") play?.key(event, true);
  });
  addEventListener("keyup", (event) => {
    if (shown === "play") play?.key(event, false);
  });
  const asked = /^#(?:view=)?(report|replay|play)/.exec(location.hash)?.[1] as View | undefined;
  const first = asked ?? (location.hash.includes("t=") && replay ? "replay" : page.token && play ? "play" : shown);
  if (there.length > 0) show(there.length > 1 ? first : there[0][0]);
  Object.assign(window, { tinrocket: { page, replay, play } });
  document.documentElement.dataset.ready = "yes";
  performance.mark("ready");
  if (page.token) reloadOnChange();
  await drawFigures(page.figures ?? []);
}

/** Puts the report's pictures into their images; each shows itself alone, and styles nothing else. */
async function drawFigures(figures: string[]): Promise<void> {
  for (const image of document.querySelectorAll<HTMLImageElement>("img[data-figure]")) {
    const bytes = await unpacked(figures[Number(image.dataset.figure)]);
    image.src = URL.createObjectURL(new Blob([bytes], { type: "image/svg+xml" }));
  }
}

/** Loads the page anew when the scenario's file has changed. */
function reloadOnChange(): void {
  let since = "";
  const ask = async (): Promise<void> => {
    try {
      const answer = await fetch(`changed?since=${encodeURIComponent(since)}`);
      const state = answer.ok ? await answer.text() : since;
      if (since !== "" && state !== since) location.reload();
      since = state;
      setTimeout(() => void ask(), 200);
    } catch {
      setTimeout(() => void ask(), 2000); // the server has ended, or is being started again
    }
  };
  void ask();
}

begin().catch((error: unknown) => {
  const told = element("p", { class: "failed", role: "alert" }, `This page could not start: ${String(error)}`);
  document.body.prepend(told);
});
