// Draws a scene: the arena with its edges, obstacles, craft, trails, velocities.

import type { CraftShape, Part, SceneData } from "./data";
import { isDark } from "./dom";

export interface Drawn { x: number; y: number; heading: number; vx: number; vy: number; there: boolean }

export interface Shown { trails: boolean; hits: boolean; velocities: boolean }

/** Dashes of each kind of edge. */
const EDGES: Record<string, { dash: number[]; width: number }> = {
  remove: { dash: [4, 2, 1, 2], width: 1.6 },
  wrap: { dash: [6, 4], width: 1.4 },
  clamp: { dash: [], width: 2.6 },
  bounce: { dash: [1.5, 1.5], width: 4 },
  open: { dash: [1, 4], width: 1.2 },
};
/** Points of a trail that are closer than this are left out [pixels of the page]. */
const APART = 3;
/** Seconds of motion that an arrow of velocity is long. */
const VELOCITY = 0.2;

/** A canvas on which one scene is drawn. */
export class Stage {
  readonly canvas: HTMLCanvasElement;
  private readonly context: CanvasRenderingContext2D;
  private scale = 1;
  private left = 0;
  private top = 0;
  /** Where the low corner of the view is, if there is one. */
  private corner: [number, number] | null = null;
  private readonly palette = new Map<string, string>();

  constructor(readonly scene: SceneData, label: string) {
    this.canvas = document.createElement("canvas");
    this.canvas.setAttribute("role", "img");
    this.canvas.setAttribute("aria-label", label);
    this.context = this.canvas.getContext("2d", { alpha: false })!;
  }

  /** Gives the canvas the proportions of what it shows. */
  fit(): void {
    const [width, height] = this.extent;
    const aspect = Math.min(Math.max(width / height, 0.6), 3);
    this.canvas.style.aspectRatio = String(aspect);
    this.canvas.style.maxWidth = `calc(${aspect} * 58vh)`;
  }

  private get extent(): [number, number] {
    const { low, high, view } = this.scene;
    return view ?? [Math.max(high[0] - low[0], 1), Math.max(high[1] - low[1], 1)];
  }

  /** Returns a colour of this page by its name in the style, as it was when drawing began. */
  private colour(name: string): string {
    const known = this.palette.get(name);
    if (known !== undefined) return known;
    const style = getComputedStyle(document.documentElement);
    const colour = style.getPropertyValue(name).trim() || "#888";
    this.palette.set(name, colour);
    return colour;
  }

  /** Clears the canvas and draws all that does not move; `corner` is where a view is. */
  begin(corner: [number, number] | null = null): void {
    this.palette.clear(); // the page may have gone dark since
    const ratio = window.devicePixelRatio || 1;
    const width = this.canvas.clientWidth || 640;
    const height = this.canvas.clientHeight || 400;
    if (this.canvas.width !== Math.round(width * ratio) || this.canvas.height !== Math.round(height * ratio)) {
      this.canvas.width = Math.round(width * ratio);
      this.canvas.height = Math.round(height * ratio);
    }
    const [across, along] = this.extent;
    const margin = 10;
    this.scale = Math.min((width - 2 * margin) / across, (height - 2 * margin) / along);
    this.left = (width - across * this.scale) / 2;
    this.top = (height - along * this.scale) / 2;
    this.corner = this.scene.view ? corner ?? [0, 0] : null;
    this.context.setTransform(ratio, 0, 0, ratio, 0, 0);
    this.context.fillStyle = this.colour("--paper");
    this.context.fillRect(0, 0, width, height);
    this.drawObstacles();
    this.drawEdges();
  }

  /** Returns where a place is on the canvas. */
  place(x: number, y: number): [number, number] {
    const low = this.corner ?? this.scene.low;
    const along = this.extent[1];
    const across = (x - low[0]) * this.scale + this.left;
    const down = this.scene.up > 0 ? low[1] + along - y : y - low[1];
    return [across, down * this.scale + this.top];
  }

  /** Returns which place of the scene is at a point of the canvas. */
  at(across: number, down: number): [number, number] {
    const low = this.corner ?? this.scene.low;
    const x = (across - this.left) / this.scale + low[0];
    const y = (down - this.top) / this.scale;
    return [x, this.scene.up > 0 ? low[1] + this.extent[1] - y : y + low[1]];
  }

  private drawEdges(): void {
    const { low, high, edges } = this.scene;
    const ends: Record<string, [number, number, number, number]> = {
      left: [low[0], low[1], low[0], high[1]],
      right: [high[0], low[1], high[0], high[1]],
      bottom: this.scene.up > 0 ? [low[0], low[1], high[0], low[1]] : [low[0], high[1], high[0], high[1]],
      top: this.scene.up > 0 ? [low[0], high[1], high[0], high[1]] : [low[0], low[1], high[0], low[1]],
    };
    this.context.strokeStyle = this.colour("--ink");
    for (const [side, [x0, y0, x1, y1]] of Object.entries(ends)) {
      const style = EDGES[edges[side]];
      if (!style) continue;
      this.context.lineWidth = style.width;
      this.context.setLineDash(style.dash.map((one) => one * style.width));
      this.line([this.place(x0, y0), this.place(x1, y1)]);
    }
    this.context.setLineDash([]);
  }

  private drawObstacles(): void {
    for (const one of this.scene.obstacles) {
      for (const [x, y] of one.places) {
        for (const part of one.parts) {
          this.outline(part, x, y, 0);
          if (one.passed) {
            this.context.setLineDash([5, 3]);
            this.context.strokeStyle = this.colour("--faint");
            this.context.lineWidth = 1;
            this.context.stroke();
            this.context.setLineDash([]);
          } else {
            this.context.fillStyle = this.colour("--still");
            this.context.fill();
          }
        }
      }
    }
  }

  /** Makes the outline of a part the current path. */
  private outline(part: Part, x: number, y: number, heading: number): void {
    const context = this.context;
    const [cos, sin] = part.turns ? [Math.cos(heading), Math.sin(heading)] : [1, 0];
    const corners = part.corners.map(([a, b]) => this.place(x + a * cos - b * sin, y + a * sin + b * cos));
    context.beginPath();
    const radius = part.radius * this.scale;
    if (corners.length === 1) {
      context.arc(corners[0][0], corners[0][1], Math.max(radius, 1), 0, 2 * Math.PI);
      return;
    }
    corners.forEach(([a, b], n) => (n === 0 ? context.moveTo(a, b) : context.lineTo(a, b)));
    context.closePath();
  }

  private line(points: [number, number][]): void {
    this.context.beginPath();
    points.forEach(([a, b], n) => (n === 0 ? this.context.moveTo(a, b) : this.context.lineTo(a, b)));
    this.context.stroke();
  }

  /** Draws a path, broken where it leaps, with a dot at each of some moments. */
  trail(xs: ArrayLike<number>, ys: ArrayLike<number>, dots: number[], colour: string, broad: boolean): void {
    const context = this.context;
    context.strokeStyle = colour;
    context.globalAlpha = broad ? 0.45 : 0.75;
    context.lineWidth = broad ? 5 : 1.5;
    const [width, height] = this.extent;
    context.lineJoin = "bevel";
    context.beginPath();
    let open = false;
    let [lastA, lastB] = [0, 0];
    for (let n = 0; n < xs.length; n++) {
      const leaps = n > 0 && (Math.abs(xs[n] - xs[n - 1]) > width / 2 || Math.abs(ys[n] - ys[n - 1]) > height / 2);
      if (Number.isNaN(xs[n])) { open = false; continue; }
      const [a, b] = this.place(xs[n], ys[n]);
      const near = Math.abs(a - lastA) + Math.abs(b - lastB) < APART && n < xs.length - 1;
      if (open && !leaps && near) continue; // closer than anyone can see
      if (!open || leaps) context.moveTo(a, b);
      else context.lineTo(a, b);
      open = true;
      [lastA, lastB] = [a, b];
    }
    context.stroke();
    context.globalAlpha = 1;
    context.fillStyle = colour;
    for (const n of dots) {
      if (Number.isNaN(xs[n])) continue;
      const [a, b] = this.place(xs[n], ys[n]);
      context.fillRect(a - 2, b - 2, 4, 4);
    }
  }

  /** Draws a craft; what is beyond a side that wraps comes in at the other. */
  craft(shape: CraftShape, one: Drawn, colour: string, what: Shown, broad = false): void {
    if (!one.there || Number.isNaN(one.x)) return;
    for (const [x, y] of this.images(shape, one)) {
      const context = this.context;
      context.strokeStyle = colour;
      context.lineWidth = broad ? 3 : 1.8;
      const parts = shape.drawn.length > 0
        ? shape.drawn : [{ corners: [[0, 0]] as [number, number][], radius: shape.radius, turns: false }];
      for (const part of parts) {
        this.outline(part, x, y, one.heading);
        context.globalAlpha = 0.25;
        context.fillStyle = colour;
        context.fill();
        context.globalAlpha = 1;
        context.stroke();
      }
      if (shape.heading) this.nose(x, y, one.heading, parts[0]);
      if (what.hits) {
        context.setLineDash([2, 2]);
        for (const part of shape.hit.length > 0 ? shape.hit : parts) {
          this.outline(part, x, y, one.heading);
          context.strokeStyle = this.colour("--accent");
          context.lineWidth = 1.5;
          context.stroke();
        }
        context.setLineDash([]);
      }
    }
    if (what.velocities) {
      this.context.strokeStyle = colour;
      this.context.lineWidth = 1.5;
      const [a, b] = this.place(one.x, one.y);
      const [c, d] = this.place(one.x + VELOCITY * one.vx, one.y + VELOCITY * one.vy);
      this.line([[a, b], [c, d]]);
      const turn = Math.atan2(d - b, c - a);
      if (Math.hypot(c - a, d - b) > 6) {
        this.line([[c - 6 * Math.cos(turn - 0.5), d - 6 * Math.sin(turn - 0.5)], [c, d],
          [c - 6 * Math.cos(turn + 0.5), d - 6 * Math.sin(turn + 0.5)]]);
      }
    }
  }

  private nose(x: number, y: number, heading: number, part: Part): void {
    const reach = Math.max(...part.corners.map(([a, b]) => Math.hypot(a, b))) + part.radius;
    this.context.lineWidth = 1.5;
    this.line([
      this.place(x + 0.3 * reach * Math.cos(heading), y + 0.3 * reach * Math.sin(heading)),
      this.place(x + 1.7 * reach * Math.cos(heading), y + 1.7 * reach * Math.sin(heading)),
    ]);
  }

  private images(shape: CraftShape, one: Drawn): [number, number][] {
    const parts = [...shape.drawn, ...shape.hit];
    const reach = Math.max(shape.radius, ...parts.map((part) =>
      part.radius + Math.max(...part.corners.map(([a, b]) => Math.hypot(a, b)))));
    const along = (at: number, seam: [number, number] | null): number[] => {
      if (!seam) return [at];
      const [low, high] = seam;
      const found = [at];
      if (at - reach < low) found.push(at + high - low);
      if (at + reach > high) found.push(at - high + low);
      return found;
    };
    const ys = along(one.y, shape.seams[1]);
    return along(one.x, shape.seams[0]).flatMap((x) => ys.map((y): [number, number] => [x, y]));
  }

  /** Writes a line of text into a corner. */
  caption(text: string, colour: string, row = 0): void {
    this.context.font = "600 13px system-ui, sans-serif";
    this.context.textBaseline = "top";
    this.context.fillStyle = colour;
    this.context.fillText(text, this.left + 8, this.top + 8 + 18 * row);
  }
}

/** Returns the colour of a run on this page. */
export function colourOf(colours: [string, string]): string {
  return isDark() ? colours[1] : colours[0];
}
