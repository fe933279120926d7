// The safe window as a map of places with names in them: where joints stay cold, where it is good, where a neighbour comes loose, where it harms.
import { svgNode } from "./plan.js";
import { withUnit } from "./units.js";

export class WindowMap {
  static LEFT = 64;
  static RIGHT = 836;
  static TOP = 14;
  static BOTTOM = 326;
  static AXES = {
    outlet_c: { name: "air", say: (value) => withUnit(Math.round(value), "°C"), title: "air at the outlet, °C" },
    height_mm: { name: "distance", say: (value) => withUnit(Math.round(value), "mm"), title: "distance from nozzle to board, mm" },
    flow_lpm: { name: "air flow", say: (value) => withUnit(Math.round(value), "L/min"), title: "air, L/min" },
    set_c: { name: "plate", say: (value) => withUnit(Math.round(value), "°C"), title: "plate, °C" },
  };
  static WORDS = { good: "good", "a neighbour comes loose": "a neighbour is loose", "a joint stays cold": "stays cold", harm: "harm" };
  static KIND = { good: "good", "a neighbour comes loose": "loose", "a joint stays cold": "cold", harm: "harm" };

  constructor(svg, onTake) {
    this.svg = svg;
    svg.addEventListener("click", (event) => {
      if (!this.map) return;
      const point = new DOMPoint(event.clientX, event.clientY).matrixTransform(svg.getScreenCTM().inverse());
      const i = Math.floor((point.x - WindowMap.LEFT) / this.wide);
      const j = Math.floor((WindowMap.BOTTOM - point.y) / this.tall);
      if (i >= 0 && i < this.map.settings.length && j >= 0 && j < this.map.dwells_s.length) onTake(this.map.settings[i], this.map.dwells_s[j]);
    });
  }

  add(name, attributes, text) {
    const node = svgNode(name, attributes, text);
    this.svg.append(node);
    return node;
  }

  draw(map) {
    this.map = map;
    this.wide = (WindowMap.RIGHT - WindowMap.LEFT) / map.settings.length;
    this.tall = (WindowMap.BOTTOM - WindowMap.TOP) / map.dwells_s.length;
    this.svg.replaceChildren();
    this.patterns();
    this.fields();
    this.borders();
    this.axes();
    this.here();
    if (map.calmest) this.calmest(map.calmest);
    this.words();
  }

  patterns() {
    const defs = svgNode("defs");
    const hatch = svgNode("pattern", { id: "map-loose", width: 9, height: 9, patternUnits: "userSpaceOnUse", patternTransform: "rotate(45)" });
    hatch.append(svgNode("rect", { width: 9, height: 9, class: "ground-loose" }), svgNode("line", { x1: 0, y1: 0, x2: 0, y2: 9, class: "hatch-loose" }));
    const dots = svgNode("pattern", { id: "map-cold", width: 10, height: 10, patternUnits: "userSpaceOnUse" });
    dots.append(svgNode("rect", { width: 10, height: 10, class: "ground-cold" }), svgNode("circle", { cx: 5, cy: 5, r: 1.3, class: "dot-cold" }));
    const cross = svgNode("pattern", { id: "map-harm", width: 8, height: 8, patternUnits: "userSpaceOnUse", patternTransform: "rotate(45)" });
    cross.append(svgNode("rect", { width: 8, height: 8, class: "ground-harm" }), svgNode("path", { d: "M0,0H8M0,0V8", class: "hatch-harm" }));
    defs.append(hatch, dots, cross);
    this.svg.append(defs);
  }

  // One path a fate: all its cells joined.
  fields() {
    const paths = {};
    this.map.columns.forEach((column, i) => column.forEach(([fate], j) => {
      paths[fate] = `${paths[fate] ?? ""}M${this.x(i)},${this.y(j)}h${this.wide}v${-this.tall}h${-this.wide}z`;
    }));
    for (const [fate, d] of Object.entries(paths)) this.add("path", { class: `field-${WindowMap.KIND[fate]}`, d });
  }

  x(i) { return WindowMap.LEFT + i * this.wide; }
  y(j) { return WindowMap.BOTTOM - j * this.tall; }

  borders() {
    let d = "";
    const fate = (i, j) => this.map.columns[i]?.[j]?.[0];
    for (let i = 0; i < this.map.columns.length; i++) {
      for (let j = 0; j < this.map.dwells_s.length; j++) {
        if (fate(i + 1, j) !== undefined && fate(i, j) !== fate(i + 1, j)) d += `M${this.x(i + 1)},${this.y(j)}v${-this.tall}`;
        if (fate(i, j + 1) !== undefined && fate(i, j) !== fate(i, j + 1)) d += `M${this.x(i)},${this.y(j + 1)}h${this.wide}`;
      }
    }
    this.add("path", { class: "map-border", d });
  }

  axes() {
    const axis = WindowMap.AXES[this.map.axis];
    const { settings, dwells_s: dwells } = this.map;
    const every = Math.ceil(settings.length / 8);
    settings.forEach((value, i) => { if (i % every === 0) this.add("text", { x: this.x(i) + this.wide / 2, y: WindowMap.BOTTOM + 18, "text-anchor": "middle" }, String(Math.round(value))); });
    const rows = Math.ceil(dwells.length / 7);
    dwells.forEach((value, j) => { if (j % rows === 0) this.add("text", { x: WindowMap.LEFT - 8, y: this.y(j) - this.tall / 2 + 4, "text-anchor": "end" }, withUnit(value < 10 ? value.toFixed(1) : Math.round(value), "s")); });
    this.add("text", { class: "strong", x: (WindowMap.LEFT + WindowMap.RIGHT) / 2, y: WindowMap.BOTTOM + 40, "text-anchor": "middle" }, axis.title);
  }

  // The name of each place in its middle; who sets each stretch of its border, beside that stretch.
  words() {
    this.taken = [];
    for (const fate of Object.keys(WindowMap.WORDS)) {
      const cells = this.cells((one) => one === fate);
      if (cells.length < 10) continue;
      const [x, y] = this.roomiest(cells);
      this.taken.push([x, y]);
      this.add("text", { class: "place", x, y, "text-anchor": "middle" }, WindowMap.WORDS[fate]);
    }
    for (const fate of Object.keys(WindowMap.WORDS)) if (fate !== "good") this.setters(fate);
  }

  cells(wanted) {
    return this.map.columns.flatMap((column, i) => column.flatMap(([fate, , why], j) => (wanted(fate) ? [[i, j, why]] : [])));
  }

  setters(fate) {
    const at = (i, j) => this.map.columns[i]?.[j]?.[0];
    const edge = this.cells((one) => one === fate).filter(([i, j]) => [[1, 0], [-1, 0], [0, 1], [0, -1]].some(([a, b]) => at(i + a, j + b) !== undefined && at(i + a, j + b) !== fate && !(fate === "a neighbour comes loose" && at(i + a, j + b) === "harm")));
    const stretches = Map.groupBy ? Map.groupBy(edge, (cell) => cell[2]) : edge.reduce((all, cell) => all.set(cell[2], [...(all.get(cell[2]) ?? []), cell]), new Map());
    for (const [why, cells] of [...stretches].sort((a, b) => b[1].length - a[1].length).slice(0, 3)) {
      if (cells.length < 3) continue;
      const [i, j] = cells[Math.floor(cells.length / 2)];
      const inward = fate === "a joint stays cold" ? -1 : 1;
      const half = why.length * 3.3 + 6;
      const x = Math.min(Math.max(this.x(i) + this.wide / 2 + inward * (half + this.wide * 0.4), WindowMap.LEFT + half), WindowMap.RIGHT - half);
      const y = Math.min(Math.max(this.y(j) - this.tall / 2 + 4 - inward * this.tall * 0.6, WindowMap.TOP + 14), WindowMap.BOTTOM - 6);
      if (this.taken.some(([a, b]) => Math.abs(a - x) < half + 70 && Math.abs(b - y) < 17)) continue;
      this.taken.push([x, y]);
      this.add("text", { class: "place-why", x, y, "text-anchor": "middle" }, why);
    }
  }

  // The cell with most of its own kind around it, kept away from the edges so that words fit.
  roomiest(cells) {
    const mine = new Set(cells.map(([i, j]) => `${i},${j}`));
    let best = cells[0];
    let most = -1;
    for (const [i, j] of cells) {
      let room = 0;
      for (let a = -4; a <= 4; a++) for (let b = -2; b <= 2; b++) if (mine.has(`${i + a},${j + b}`)) room += 1;
      if (room > most) { most = room; best = [i, j]; }
    }
    const x = Math.min(Math.max(this.x(best[0]) + this.wide / 2, WindowMap.LEFT + 80), WindowMap.RIGHT - 80);
    return [x, Math.min(this.y(best[1]) - this.tall / 2, WindowMap.BOTTOM - 24)];
  }

  place(setting, dwell) {
    const { settings, dwells_s: dwells } = this.map;
    const i = (setting - settings[0]) / (settings[settings.length - 1] - settings[0]) * (settings.length - 1);
    const j = Math.log(dwell / dwells[0]) / Math.log(dwells[dwells.length - 1] / dwells[0]) * (dwells.length - 1);
    return [this.x(i) + this.wide / 2, this.y(j) - this.tall / 2];
  }

  here() {
    const [x, y] = this.place(...this.map.here);
    if (!(x > WindowMap.LEFT - 5 && x < WindowMap.RIGHT + 5 && y > WindowMap.TOP - 5 && y < WindowMap.BOTTOM + 5)) return;
    this.add("path", { class: "map-here", d: `M${x},${y - 8}l8,8l-8,8l-8,-8z` });
    this.label(x, y + 22, "now");
  }

  calmest(best) {
    const [x, y] = this.place(best.setting, best.dwell_s);
    const [x0] = this.place(best.setting_low, best.dwell_s);
    const [x1] = this.place(best.setting_high, best.dwell_s);
    const [, y0] = this.place(best.setting, best.dwell_low_s);
    const [, y1] = this.place(best.setting, best.dwell_high_s);
    this.add("path", { class: "map-reach", d: `M${x0},${y}H${x1}M${x},${y0}V${y1}M${x0},${y - 6}v12M${x1},${y - 6}v12M${x - 6},${y0}h12M${x - 6},${y1}h12` });
    this.add("circle", { class: "map-calm", cx: x, cy: y, r: 9 });
    this.add("text", { class: "map-label", x: x > WindowMap.RIGHT - 90 ? x - 15 : x + 15, y: y < WindowMap.TOP + 24 ? y + 22 : y - 8, "text-anchor": x > WindowMap.RIGHT - 90 ? "end" : "start" }, best.calm ? "most margin" : "best, but low margin");
  }

  label(x, y, text) {
    const right = x > WindowMap.RIGHT - 60;
    this.add("text", { class: "map-label", x: right ? x - 14 : x, y, "text-anchor": right ? "end" : "middle" }, text);
  }
};
