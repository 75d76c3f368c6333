// Elements of a page, made without any text ever becoming markup.

type Attributes = Record<string, string | number | boolean | ((event: Event) => void)>;
type Child = Node | string;

/** Returns an element; attributes that begin with `on` are listeners. */
export function element<K extends keyof HTMLElementTagNameMap>(
  tag: K, attributes: Attributes = {}, ...children: Child[]
): HTMLElementTagNameMap[K] {
  const made = document.createElement(tag);
  for (const [name, value] of Object.entries(attributes)) {
    if (typeof value === "function") made.addEventListener(name.slice(2), value);
    else if (value === true) made.setAttribute(name, "");
    else if (value !== false) made.setAttribute(name, String(value));
  }
  made.append(...children);
  return made;
}

export function button(label: string, title: string, press: () => void): HTMLButtonElement {
  return element("button", { type: "button", title, onclick: () => press() }, label);
}

/** Returns a labelled choice; `choose` is called with the place of what is chosen. */
export function choice(
  label: string, options: string[], chosen: number, choose: (n: number) => void,
): HTMLLabelElement {
  const select = element("select", {
    onchange: (event) => choose((event.target as HTMLSelectElement).selectedIndex),
  }, ...options.map((text, n) => element("option", { selected: n === chosen }, text)));
  return element("label", { class: "field" }, label, select);
}

export function toggle(label: string, on: boolean, change: (on: boolean) => void): HTMLLabelElement {
  const box = element("input", {
    type: "checkbox", checked: on,
    onchange: (event) => change((event.target as HTMLInputElement).checked),
  });
  return element("label", { class: "toggle" }, box, label);
}

/** Returns a number as a person would write it. */
export function shown(value: number, digits = 4): string {
  if (!Number.isFinite(value)) return "none";
  return String(Number(value.toPrecision(digits)));
}

export function isTyping(target: EventTarget | null): boolean {
  return target instanceof HTMLInputElement && target.type !== "range" && target.type !== "checkbox"
    || target instanceof HTMLSelectElement || target instanceof HTMLTextAreaElement;
}

/** Hands a text to the reader as a file. */
export function download(name: string, text: string): void {
  const link = element("a", {
    href: URL.createObjectURL(new Blob([text], { type: "text/plain" })), download: name,
  });
  link.click();
  setTimeout(() => URL.revokeObjectURL(link.href), 1000);
}

export function isDark(): boolean {
  return matchMedia("(prefers-color-scheme: dark)").matches;
}
