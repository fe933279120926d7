// The plan's own behaviour: zoom, pan, finding parts and pads. Stages add meaning through these functions.

export class Plan {
  constructor(svg) {
    this.svg = svg;
    this.width = Number(svg.dataset.width);
    this.height = Number(svg.dataset.height);
    this.home = svg.getAttribute("viewBox").split(" ").map(Number);
    this.box = [...this.home];
    this.moved = false;
    this.pointers = new Map();
    this.listen();
  }

  listen() {
    this.svg.addEventListener("wheel", (event) => { event.preventDefault(); this.zoom(event.deltaY < 0 ? 1.2 : 1 / 1.2, event); }, { passive: false });
    this.svg.addEventListener("pointerdown", (event) => {
      this.pointers.set(event.pointerId, [event.clientX, event.clientY]);
      this.moved = false;
    });
    this.svg.addEventListener("pointermove", (event) => this.drag(event));
    for (const name of ["pointerup", "pointercancel", "pointerleave"]) {
      this.svg.addEventListener(name, (event) => {
        if (this.framing && this.pointers.has(event.pointerId) && this.moved) this.framing(event, true);
        this.pointers.delete(event.pointerId);
      });
    }
    this.svg.addEventListener("keydown", (event) => {
      const step = this.box[2] / 10;
      const moves = { ArrowLeft: [-step, 0], ArrowRight: [step, 0], ArrowUp: [0, -step], ArrowDown: [0, step] };
      if (event.key === "+" || event.key === "=") this.zoom(1.25);
      else if (event.key === "-") this.zoom(0.8);
      else if (event.key === "0") this.reset();
      else if (moves[event.key] && this.svg === document.activeElement) { this.box[0] += moves[event.key][0]; this.box[1] += moves[event.key][1]; this.show(); event.preventDefault(); }
    });
    const frame = this.svg.closest(".plan-frame");
    frame?.querySelector("[data-zoom-in]")?.addEventListener("click", () => this.zoom(1.4));
    frame?.querySelector("[data-zoom-out]")?.addEventListener("click", () => this.zoom(1 / 1.4));
    frame?.querySelector("[data-zoom-all]")?.addEventListener("click", () => this.reset());
    frame?.querySelector("[data-legend]")?.addEventListener("click", (event) => {
      const on = this.svg.classList.toggle("show-legend");
      event.currentTarget.setAttribute("aria-pressed", String(on));
    });
  }

  place(event) {
    const point = new DOMPoint(event.clientX, event.clientY).matrixTransform(this.svg.getScreenCTM().inverse());
    return [point.x, point.y];
  }

  zoom(factor, event) {
    const [x, y] = event ? this.place(event) : [this.box[0] + this.box[2] / 2, this.box[1] + this.box[3] / 2];
    const width = Math.min(Math.max(this.box[2] / factor, 3), this.home[2] * 2);
    const real = this.box[2] / width;
    this.box = [x - (x - this.box[0]) / real, y - (y - this.box[1]) / real, width, this.box[3] / real];
    this.show();
  }

  drag(event) {
    const before = this.pointers.get(event.pointerId);
    if (!before) return;
    const scale = this.svg.getScreenCTM().a;
    const dx = (event.clientX - before[0]) / scale;
    const dy = (event.clientY - before[1]) / scale;
    if (Math.hypot(event.clientX - before[0], event.clientY - before[1]) < 4 && !this.moved) return;
    this.moved = true;
    if (this.framing && this.pointers.size === 1) { this.framing(event, false); return; }
    if (this.pointers.size > 1) {
      const [other] = [...this.pointers].filter(([id]) => id !== event.pointerId).map(([, spot]) => spot);
      const was = Math.hypot(before[0] - other[0], before[1] - other[1]);
      const is = Math.hypot(event.clientX - other[0], event.clientY - other[1]);
      this.pointers.set(event.pointerId, [event.clientX, event.clientY]);
      if (was > 0) this.zoom(is / was, event);
      return;
    }
    this.pointers.set(event.pointerId, [event.clientX, event.clientY]);
    this.box[0] -= dx;
    this.box[1] -= dy;
    this.show();
  }

  show() { this.svg.setAttribute("viewBox", this.box.map((value) => value.toFixed(3)).join(" ")); }
  reset() { this.box = [...this.home]; this.show(); }

  // Zoom so that these elements fill the frame with some room around.
  frameOn(elements, room = 6) {
    const boxes = elements.map((element) => {
      const box = element.getBBox();
      const toPlan = this.svg.querySelector(".plan-view").getCTM().inverse().multiply(element.getCTM());
      const a = new DOMPoint(box.x, box.y).matrixTransform(toPlan);
      const b = new DOMPoint(box.x + box.width, box.y + box.height).matrixTransform(toPlan);
      return [Math.min(a.x, b.x), Math.min(a.y, b.y), Math.max(a.x, b.x), Math.max(a.y, b.y)];
    });
    if (!boxes.length) return;
    const x0 = Math.min(...boxes.map((box) => box[0])) - room;
    const y0 = Math.min(...boxes.map((box) => box[1])) - room;
    const x1 = Math.max(...boxes.map((box) => box[2])) + room;
    const y1 = Math.max(...boxes.map((box) => box[3])) + room;
    const ratio = this.home[2] / this.home[3];
    const width = Math.max(x1 - x0, (y1 - y0) * ratio);
    this.box = [(x0 + x1 - width) / 2, (y0 + y1 - width / ratio) / 2, width, width / ratio];
    this.show();
  }

  part(ref) { return this.svg.querySelector(`.part[data-ref="${CSS.escape(ref)}"]`); }
  pads(ref) { return [...this.svg.querySelectorAll(`.pad[data-ref="${CSS.escape(ref)}"]`)]; }
  pad(ref, pin) { return this.svg.querySelector(`.pad[data-ref="${CSS.escape(ref)}"][data-pin="${CSS.escape(pin)}"]`); }

  // A tap (not a drag) on a part or one of its pads; `through`: on the pad that lies under a body, too.
  onTap(react, { through = false } = {}) {
    this.svg.addEventListener("click", (event) => {
      if (this.moved) return;
      const under = through ? document.elementsFromPoint(event.clientX, event.clientY).find((node) => node.matches(".pad[data-ref]")) : null;
      const target = under ?? event.target;
      const hit = target.closest("[data-ref]");
      if (hit) react(hit.dataset.ref, target.closest(".pad")?.dataset.pin ?? null);
    });
  }
};

export const plans = () => [...document.querySelectorAll("svg.plan")].map((svg) => (svg.plan ??= new Plan(svg)));
document.addEventListener("DOMContentLoaded", () => plans());

export const svgNode = (name, attributes = {}, text = "") => {
  const node = document.createElementNS("http://www.w3.org/2000/svg", name);
  for (const [key, value] of Object.entries(attributes)) node.setAttribute(key, value);
  if (text) node.textContent = text;
  return node;
};

// A tour on a plan: its path and numbered stops, numbers upright whichever face is seen; `now` is the stop in hand.
export const drawTour = (plan, stops, now = 0) => {
  const group = plan.svg.querySelector(".plan-tour");
  const names = plan.svg.querySelector(".plan-stops");
  group.replaceChildren();
  names.replaceChildren();
  if (!stops.length) return;
  const size = Math.max(1.3, Math.min(plan.width, plan.height) * 0.03);
  group.append(svgNode("path", { class: "tour-path", d: `M${stops.map((one) => `${one.x_mm},${one.y_mm}`).join("L")}` }));
  const mirrored = plan.svg.dataset.side === "bottom";
  stops.forEach((one, i) => {
    const kind = now ? (i + 1 < now ? "behind" : i + 1 === now ? "now" : "ahead") : "";
    const radius = kind === "now" ? 1.5 * size : size;
    group.append(svgNode("circle", { class: `tour-stop ${kind}`, cx: one.x_mm, cy: one.y_mm, r: radius }));
    names.append(svgNode("text", { class: `tour-number ${kind}`, x: mirrored ? plan.width - one.x_mm : one.x_mm, y: plan.height - one.y_mm + radius * 0.42, "font-size": radius * 1.25 }, String(i + 1)));
  });
};

// Where on the whole board, as it lies: a dot on its outline, the corner that is its lower left one marked.
export const drawInset = (inset, { width, height }, spot, turn = 0) => {
  const half = Math.hypot(width, height) / 2;
  inset.setAttribute("viewBox", `${-half} ${-half} ${2 * half} ${2 * half}`);
  inset.replaceChildren();
  const group = svgNode("g", { transform: `rotate(${turn})` });
  group.append(svgNode("rect", { class: "inset-board", x: -width / 2, y: -height / 2, width, height, rx: 1 }));
  if (spot) group.append(svgNode("circle", { class: "inset-here", cx: spot[0] - width / 2, cy: spot[1] - height / 2, r: half * 0.07 }));
  group.append(svgNode("path", { class: "inset-corner", d: `M${-width / 2},${height / 2}h${half * 0.25}L${-width / 2},${height / 2 - half * 0.25}Z` }));
  inset.append(group);
};
