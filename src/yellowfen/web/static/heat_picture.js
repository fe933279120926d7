// Temperatures laid over the plan: a lightness ramp (cold dark, hot light) and the line where solder melts.
import { svgNode } from "./plan.js";
import { withUnit } from "./units.js";

export class HeatPicture {
  static STOPS = [[0, 22, 48, 47], [0.22, 44, 90, 80], [0.45, 109, 127, 53], [0.68, 217, 143, 18], [0.85, 246, 207, 106], [1, 255, 251, 232]];
  static LOW_C = 23;
  static HIGH_C = 300;

  constructor(plan, frames) {
    this.plan = plan;
    this.frames = frames;
    const text = atob(frames.bytes);
    this.bytes = new Uint8Array(text.length);
    for (let i = 0; i < text.length; i++) this.bytes[i] = text.charCodeAt(i);
    this.size = frames.nx * frames.ny;
    this.count = this.bytes.length / this.size;
    this.canvas = document.createElement("canvas");
    this.canvas.width = frames.nx;
    this.canvas.height = frames.ny;
    this.table = HeatPicture.table(frames);
  }

  static table(frames) {
    const colours = new Uint8Array(256 * 3);
    for (let code = 0; code < 256; code++) {
      const share = Math.min(Math.max((frames.low_c + frames.step_c * code - HeatPicture.LOW_C) / (HeatPicture.HIGH_C - HeatPicture.LOW_C), 0), 1);
      const upper = HeatPicture.STOPS.findIndex((stop) => stop[0] >= share);
      const b = HeatPicture.STOPS[Math.max(upper, 1)];
      const a = HeatPicture.STOPS[Math.max(upper, 1) - 1];
      const t = (share - a[0]) / (b[0] - a[0]);
      for (let k = 0; k < 3; k++) colours[code * 3 + k] = Math.round(a[k + 1] + t * (b[k + 1] - a[k + 1]));
    }
    return colours;
  }

  frameAt(seconds) {
    return Math.min(Math.max(Math.round(seconds / this.frames.every_s), 0), this.count - 1);
  }

  draw(seconds, liquidus) {
    const start = this.frameAt(seconds) * this.size;
    const { nx, ny } = this.frames;
    const context = this.canvas.getContext("2d");
    const picture = context.createImageData(nx, ny);
    const { size, bytes, table } = this;  // read once: the page watches every read of its fields
    const pixels = picture.data;
    for (let i = 0; i < size; i++) {
      const code = 3 * bytes[start + i];
      pixels[4 * i] = table[code];
      pixels[4 * i + 1] = table[code + 1];
      pixels[4 * i + 2] = table[code + 2];
      pixels[4 * i + 3] = 255;
    }
    context.putImageData(picture, 0, 0);
    const layer = this.plan.svg.querySelector(".plan-heat");
    let image = layer.querySelector("image");
    if (!image) {
      this.clip(layer);
      image = svgNode("image", { x: 0, y: 0, width: this.plan.width, height: this.plan.height, preserveAspectRatio: "none", "clip-path": "url(#board-shape)" });
      layer.append(image);
    }
    image.setAttribute("href", this.canvas.toDataURL());
    this.plan.svg.classList.add("hot");
    this.contours(start, liquidus);
  }

  clip(layer) {
    const clip = svgNode("clipPath", { id: "board-shape" });
    clip.append(svgNode("path", { d: this.plan.svg.querySelector(".plan-board").getAttribute("d"), "clip-rule": "evenodd" }));
    layer.append(clip);
  }

  // Where a place of the board is seen: the plan of the bottom is mirrored, its names are not.
  seenX(x) { return this.plan.svg.dataset.side === "bottom" ? this.plan.width - x : x; }

  contours(start, liquidus) {
    const group = this.plan.svg.querySelector(".plan-contours");
    const names = this.plan.svg.querySelector(".plan-names");
    group.replaceChildren();
    for (const old of names.querySelectorAll(".contour-label")) old.remove();
    // A label stands where its line is farthest from every name on the plan.
    const taken = [...names.querySelectorAll("text.name")].map((one) => [Number(one.getAttribute("x")), Number(one.getAttribute("y"))]);
    const at = ([spot]) => [Math.min(Math.max(this.seenX(spot[0]), 3), this.plan.width - 3), Math.min(Math.max(this.plan.height - spot[1], 1), this.plan.height - 1)];
    const clear = ([x, y]) => taken.reduce((least, [u, v]) => Math.min(least, Math.hypot(0.5 * (x - u), y - v)), 6);
    for (const [level, kind] of [[60, ""], [100, ""], [150, ""], [liquidus, "melt"], [250, ""]]) {
      const pieces = this.contour(start, level);
      if (!pieces.length) continue;
      group.append(svgNode("path", { class: `contour ${kind}`, d: pieces.map(([a, b]) => `M${a[0].toFixed(2)},${a[1].toFixed(2)}L${b[0].toFixed(2)},${b[1].toFixed(2)}`).join("") }));
      const few = pieces.filter((_, n) => n % Math.ceil(pieces.length / 90) === 0).map(at);
      const [x, y] = few.reduce((best, spot) => (clear(spot) > clear(best) ? spot : best));
      taken.push([x, y]);
      names.append(svgNode("text", { class: `contour-label ${kind}`, x: x.toFixed(2), y: (y + 0.4).toFixed(2) }, withUnit(level, "°C")));
    }
  }

  // Marching squares between cell centres; segments only, which is all that a drawn line needs.
  contour(start, level) {
    const { nx, ny, low_c: low, step_c: step } = this.frames;
    const dx = this.plan.width / nx;
    const dy = this.plan.height / ny;
    const { bytes } = this;
    const value = (x, y) => low + step * bytes[start + y * nx + x];
    const pieces = [];
    for (let y = 0; y < ny - 1; y++) {
      for (let x = 0; x < nx - 1; x++) {
        const [below, right, above, left] = [value(x, y), value(x + 1, y), value(x + 1, y + 1), value(x, y + 1)];
        const cold = below < level;
        if (cold === right < level && cold === above < level && cold === left < level) continue;
        const corners = [below, right, above, left];
        const spots = [[x + 0.5, y + 0.5], [x + 1.5, y + 0.5], [x + 1.5, y + 1.5], [x + 0.5, y + 1.5]];
        const cuts = [];
        for (let k = 0; k < 4; k++) {
          const a = corners[k];
          const b = corners[(k + 1) % 4];
          if ((a < level) !== (b < level)) {
            const t = (level - a) / (b - a);
            const p = spots[k];
            const q = spots[(k + 1) % 4];
            cuts.push([(p[0] + t * (q[0] - p[0])) * dx, (p[1] + t * (q[1] - p[1])) * dy]);
          }
        }
        for (let k = 0; k + 1 < cuts.length; k += 2) {
          pieces.push([cuts[k], cuts[k + 1]]);
        }
      }
    }
    return pieces;
  }

  // Where the nozzle goes round at this moment: its circle and the nozzle itself, to scale.
  nozzle(seconds, moves, nozzleMm) {
    const group = this.plan.svg.querySelector(".plan-nozzle");
    group.replaceChildren();
    let start = 0;
    for (const move of moves) {
      if (seconds <= start + move.seconds && move.blows) {
        const turn = (seconds - start) / move.circle_s;
        const along = (move.along_deg * Math.PI) / 180;
        const reach = move.path === "fixed" ? 0 : move.circle_mm;
        let [dx, dy] = [reach * Math.cos(2 * Math.PI * turn), reach * Math.sin(2 * Math.PI * turn)];
        if (move.path === "rows" || move.path === "ends") {
          const phase = turn % 1;
          const there = move.path === "ends" ? (phase < 0.5 ? 1 : -1) : 4 * Math.abs(phase - 0.5) - 1;
          [dx, dy] = [reach * there * Math.cos(along), reach * there * Math.sin(along)];
          const [ex, ey] = [reach * Math.cos(along), reach * Math.sin(along)];
          group.append(svgNode("path", { class: "nozzle-path", d: `M${move.x_mm - ex},${move.y_mm - ey}L${move.x_mm + ex},${move.y_mm + ey}` }));
        } else if (reach > 0) group.append(svgNode("circle", { class: "nozzle-path", cx: move.x_mm, cy: move.y_mm, r: reach }));
        group.append(svgNode("circle", { class: "nozzle-ring", cx: move.x_mm + dx, cy: move.y_mm + dy, r: nozzleMm / 2 }));
      }
      start += move.seconds;
      if (seconds <= start) return;
    }
  }

  // Pads that are molten at this moment.
  pads(seconds, parts) {
    for (const pad of this.plan.svg.querySelectorAll(".pad.molten")) pad.classList.remove("molten");
    for (const [ref, fate] of Object.entries(parts)) {
      for (const [pin, [, end, freeze]] of Object.entries(fate.pins)) {
        if (end !== null && seconds >= end && (freeze === null || seconds < freeze)) this.plan.pad(ref, pin)?.classList.add("molten");
      }
    }
  }

  static clear(plan) {
    plan.svg.classList.remove("hot");
    plan.svg.querySelector(".plan-heat").replaceChildren();
    plan.svg.querySelector(".plan-contours").replaceChildren();
    plan.svg.querySelector(".plan-nozzle").replaceChildren();
    for (const label of plan.svg.querySelectorAll(".contour-label")) label.remove();
    for (const pad of plan.svg.querySelectorAll(".pad.molten")) pad.classList.remove("molten");
  }
};
