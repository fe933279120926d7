// Temperature over time, drawn so that the moves, the melting point and the moments can be read without a legend.
import { svgNode } from "./plan.js";
import { withUnit } from "./units.js";

export class HeatLine {
  static LEFT = 46;
  static RIGHT = 788;
  static TOP = 34;
  static BOTTOM = 222;

  constructor(svg, onTime) {
    this.svg = svg;
    const seek = (event) => {
      const point = new DOMPoint(event.clientX, event.clientY).matrixTransform(svg.getScreenCTM().inverse());
      const share = (point.x - HeatLine.LEFT) / (HeatLine.RIGHT - HeatLine.LEFT);
      if (this.total) onTime(Math.min(Math.max(share, 0), 1) * this.total);
    };
    let held = false;
    svg.addEventListener("pointerdown", (event) => { held = true; svg.setPointerCapture(event.pointerId); seek(event); });
    svg.addEventListener("pointermove", (event) => { if (held) seek(event); });
    svg.addEventListener("pointerup", () => { held = false; });
  }

  x(seconds) { return HeatLine.LEFT + (seconds / this.total) * (HeatLine.RIGHT - HeatLine.LEFT); }
  y(celsius) { return HeatLine.BOTTOM - ((celsius - this.low) / (this.high - this.low)) * (HeatLine.BOTTOM - HeatLine.TOP); }

  add(name, attributes, text) {
    const node = svgNode(name, attributes, text);
    this.svg.append(node);
    return node;
  }

  draw(answer) {
    this.total = answer.total_s;
    this.low = 0;
    const peaks = answer.lines.flatMap((line) => [...line.hottest, ...line.body]);
    this.high = Math.max(answer.liquidus_c + 40, Math.ceil((Math.max(...peaks) + 15) / 50) * 50);
    this.svg.replaceChildren();
    this.moves(answer.moves);
    this.axes(answer.liquidus_c);
    this.limits(answer);
    this.curves(answer);
    this.moments(answer);
    this.cursor = this.add("line", { class: "cursor", y1: HeatLine.TOP - 4, y2: HeatLine.BOTTOM, x1: 0, x2: 0 });
  }

  moves(moves) {
    const names = { warm: "preheat", close: "close in", hold: "hold", withdraw: "withdraw", preheat: "from below", plate: "on the plate", oven: "in the oven" };
    let start = 0;
    for (const move of moves) {
      const width = this.x(start + move.seconds) - this.x(start);
      this.add("rect", { class: `move-band ${move.deed}`, x: this.x(start), y: 0, width, height: HeatLine.BOTTOM });
      if (width > 44) {
        const said = move.blows && width > 110 ? `${names[move.deed]}, ${withUnit(move.height_mm, "mm")}` : names[move.deed];
        this.add("text", { x: this.x(start) + 6, y: 16 }, said);
      }
      start += move.seconds;
    }
  }

  axes(liquidus) {
    for (let level = 50; level < this.high; level += 50) {
      this.add("line", { class: "axis", x1: HeatLine.LEFT, x2: HeatLine.RIGHT, y1: this.y(level), y2: this.y(level) });
      this.add("text", { x: HeatLine.LEFT - 6, y: this.y(level) + 4, "text-anchor": "end" }, String(level));
    }
    this.add("text", { x: HeatLine.LEFT - 6, y: HeatLine.TOP - 2, "text-anchor": "end" }, "°C");
    const step = this.total > 240 ? 60 : this.total > 100 ? 20 : 10;
    for (let at = 0; at <= this.total; at += step) this.add("text", { x: this.x(at), y: 241, "text-anchor": "middle" }, at === 0 ? "0" : withUnit(at, "s"));
    this.add("line", { class: "melt-line", x1: HeatLine.LEFT, x2: HeatLine.RIGHT, y1: this.y(liquidus), y2: this.y(liquidus) });
    this.add("text", { class: "strong", x: HeatLine.LEFT + 6, y: this.y(liquidus) - 5 }, `solder melts, ${withUnit(liquidus, "°C")}`);
  }

  limits(answer) {
    const seen = new Set();
    for (const line of answer.lines.filter((one) => one.target)) {
      if ([...seen].some((one) => Math.abs(this.y(one) - this.y(line.limit_c)) < 16) || line.limit_c > this.high) continue;
      seen.add(line.limit_c);
      this.add("line", { class: "limit-line", x1: HeatLine.LEFT, x2: HeatLine.RIGHT, y1: this.y(line.limit_c), y2: this.y(line.limit_c) });
      this.add("text", { x: HeatLine.LEFT + 6, y: this.y(line.limit_c) - 5 }, `body limit of ${line.ref}, ${withUnit(line.limit_c, "°C")}`);
    }
  }

  path(times, values) { return "M" + times.map((at, i) => `${this.x(at).toFixed(1)},${this.y(values[i]).toFixed(1)}`).join("L"); }

  curves(answer) {
    const labels = [];
    const many = answer.lines.filter((one) => one.target).length > 6;
    for (const line of answer.lines) {
      const end = line.hottest.length - 1;
      if (line.target) {
        const there = this.path(answer.times_s, line.hottest);
        const back = this.path([...answer.times_s].reverse(), [...line.coldest].reverse()).replace("M", "L");
        if (!many) this.add("path", { class: "target-band", d: `${there}${back}Z` });
        this.add("path", { class: many ? "target-line thin" : "target-line", d: this.path(answer.times_s, line.coldest) });
      } else {
        this.add("path", { class: "near-line", d: this.path(answer.times_s, line.hottest) });
      }
      if (!line.target || !many) labels.push({ ref: line.ref, y: this.y(line.target ? line.coldest[end] : line.hottest[end]), strong: line.target });
    }
    labels.sort((a, b) => a.y - b.y);
    labels.forEach((label, i) => { if (i > 0) label.y = Math.max(label.y, labels[i - 1].y + 14); });
    for (const label of labels) this.add("text", { class: label.strong ? "strong" : "", x: HeatLine.RIGHT + 6, y: label.y + 4 }, label.ref);
  }

  // Moments: a disc where a target's joints go molten, a diamond where a neighbour comes loose (open) or a body gets too hot (full), an open disc where all is solid.
  moments(answer) {
    for (const event of answer.events) {
      const x = this.x(event.at_s);
      if (event.kind === "all molten" || event.kind === "first melt") this.add("circle", { class: "moment", cx: x, cy: this.y(answer.liquidus_c), r: event.kind === "all molten" ? 6.5 : 4 });
      else if (event.kind === "frozen") this.add("circle", { class: "moment cold", cx: x, cy: this.y(answer.liquidus_c), r: 5 });
      else if (event.kind === "limit passed" || event.kind === "neighbour loose") this.add("path", { class: event.kind === "limit passed" ? "moment bad" : "moment loose", d: `M${x},${HeatLine.BOTTOM - 15}l7,8l-7,8l-7,-8z` });
    }
  }

  moveTo(seconds) {
    this.cursor?.setAttribute("x1", this.x(seconds));
    this.cursor?.setAttribute("x2", this.x(seconds));
  }
};
