// A run at the bench: shows the cue it is given, queues taps, counts seconds. What may follow is decided by the server.
import { withJoints } from "./bench_look.js";
import { withTaps } from "./bench_taps.js";
import { drawInset, drawTour, plans, svgNode } from "./plan.js";
import { withUnit } from "./units.js";

document.addEventListener("alpine:init", () => {
  const first = JSON.parse(document.getElementById("state").textContent);

  window.Alpine.data("bench", () => withTaps({ api: `/api/runs/${first.run}/taps`, shelf: `yellowfen-run-${first.run}` }, ("joints" in first ? withJoints : (own) => own)({
    ...first,
    offset: first.now_ms - Date.now(),
    elapsed: 0,
    typed: "",

    init() {
      [this.plan] = plans();
      this.svg = document.querySelector("svg.plan");
      if (this.clock) {
        this.bar = new HeatBar(document.querySelector("[data-bar]"), this);
        setInterval(() => this.show(), 100);
      }
      const more = Object.fromEntries(this.keys.map((one) => [one.press, () => this.answer(one.word)]));
      if (this.clock) {
        more.a = () => this.away();
        for (const key of ["f", "s", "b"]) more[key] = () => this.sign(this.signs.find((one) => one.press === key));
      }
      more.y = () => this.confirm();
      this.beginRun(more);
    },
    beginRun(more) { this.beginTaps(more); },

    // Cues that taps on their way have not answered yet; the server's answer puts the order right.
    get ahead() {
      const answered = this.pending.filter((tap) => !this.stays.includes(tap.word)).map((tap) => tap.cue);
      return this.cues.filter((cue) => !answered.includes(cue.key));
    },
    get cue() { return this.ahead[0] ?? null; },
    get waitsForServer() { return this.cue === null && this.pending.length > 0 && this.answered + this.pending.length < this.of; },
    get over() { return this.cue === null; },
    get started() { return this.started_ms ?? this.pending[0]?.at_ms ?? null; },
    get doneWidth() { return String((1000 * Math.min(this.answered + this.pending.length, this.of)) / Math.max(this.of, 1)); },

    get name() { return this.cue?.name ?? ""; },
    // Long words in smaller letters, so that the key stays on the screen.
    get nameClass() { return this.name.length > 5 ? "long" : ""; },
    get titleClass() { return this.title.length > 20 ? "long" : ""; },
    get title() { return this.cue?.title ?? (this.waitsForServer ? "Waiting for the server" : this.closing); },
    get setUp() { return this.cue?.set_up ?? ""; },
    get detail() { return this.cue?.detail ?? ""; },
    // Hands that shake rest after so many touches, when no clock runs.
    get rests() { const done = this.answered + this.pending.length; return !this.clock && this.rest_every > 0 && done > 0 && done % this.rest_every === 0 && !this.over; },
    get mind() { return this.rests ? "Rest first: put the tool down, relax your wrist, take ten slow breaths." : this.cue?.mind ?? ""; },
    get directed() { return Boolean(this.cue?.shape); },
    get left() { return this.cue?.left ?? ""; },
    get big() { return this.clock ? this.time : this.over ? "✓" : this.name; },
    get time() {
      const whole = this.started === null ? 0 : Math.max(0, Math.floor(this.elapsed));
      return `${Math.floor(whole / 60)}:${String(whole % 60).padStart(2, "0")}`;
    },
    get tooLong() { return this.stop_s !== null && this.started !== null && !this.notHeating && this.elapsed > this.stop_s; },
    get notHeating() { return this.started === null || !this.early.includes("away") || this.pending.some((tap) => tap.cue === "away"); },
    get next() {
      if (this.tooLong) return `Take the heat away now: ${this.stop_why}`;
      if (this.over || !this.cue.ahead || this.started === null) return this.detail;
      if (this.lags) return this.cue.late;
      const left = Math.round(this.cue.due_s - this.elapsed);
      return left > 0 ? `${this.cue.ahead}: in about ${withUnit(left, "s")}` : `${this.cue.ahead}: due ${withUnit(-left, "s")} ago`;
    },
    // A flow that has not come by the late end of its band: what lags and what to do, as the server says.
    get lags() { return Boolean(this.cue && this.started !== null && this.cue.late_s !== null && this.elapsed > this.cue.late_s); },
    get nextClass() { return this.tooLong ? "urgent" : this.lags ? "lags" : ""; },
    get spoken() { return this.tooLong ? "Take the heat away now" : this.ask || (this.lags ? this.cue.late : this.cue?.said ?? this.title); },
    get asks() { return this.ask !== "" && !this.pending.some((tap) => tap.cue === this.ask_key); },
    get openSigns() { return this.signs.filter((one) => !this.pending.some((tap) => tap.cue === one.cue)); },
    get keyText() { return !this.over ? this.cue.press : this.pending.length ? "Saving" : "All saved"; },
    get keyHint() { return this.over ? "" : this.reads ? "Enter, Page Down or pedal" : "Space, Page Down or pedal"; },
    get stored() {
      if (this.pending.length) return `${this.pending.length} tap${this.pending.length > 1 ? "s" : ""} kept here, not saved yet`;
      return this.told;
    },

    show() {
      if (this.reads) setTimeout(() => document.querySelector("[data-reading]")?.focus());
      if (this.clock) {
        if (this.started !== null) this.elapsed = this.over ? this.took_s : (Date.now() + this.offset - this.started) / 1000;
        this.bar.move(this.elapsed);
        this.drawStops();
      } else if (this.svg) this.draw();
      this.say(this.spoken);
    },
    answer(word) {
      if (!this.cue) return;
      const figure = this.reads && word === this.main ? this.typed.trim() : "";
      if (this.reads && word === this.main && !figure) { this.problem = `Type the reading in ${this.reads} first.`; return; }
      this.problem = "";
      this.typed = "";
      this.note(this.cue.key, word, word === this.main ? `${this.cue.press} ${figure}`.trim() : `${this.cue.press}, ${word}`, figure);
    },
    // A figure that the meter shows is typed where the cue asks for one.
    get plainAnswer() { return !this.reads; },
    get reads() { return this.cue?.reads ?? ""; },
    go() { this.answer(this.main); },
    sign(one) { if (one && this.openSigns.includes(one)) this.note(one.cue, this.main, one.say); },
    saySign(event) { this.sign(this.signs.find((one) => one.cue === event.currentTarget.dataset.sign)); },
    slipped() { if (this.asks) this.takeBack(this.ask_tap); },
    confirm() { if (this.asks) this.note(this.ask_key, this.main, "It is so"); },
    away() { if (!this.notHeating) this.note("away", this.main, "Heat is away"); },
    note(cue, word, said, text = "") { this.add({ cue, word, said, text, at_ms: Math.round(Date.now() + this.offset) }); },
    sayWord(event) { this.answer(event.currentTarget.dataset.word); },
    fits(only) { return only === "" || Boolean(this.cue?.key.startsWith(only)); },
    take(answer) {
      Object.assign(this, answer);
      this.bar?.expect(this);
    },

    // A tour's path: what is behind, the stop in hand, what is to come.
    drawStops() {
      if (!this.svg || !this.places.length) return;
      const now = this.cue?.key.startsWith("stop ") ? Number(this.cue.key.slice(5)) : this.started === null || this.cue?.key === "move 2" ? 1 : this.places.length + 1;
      if (this.stopDrawn === this.cue?.key) return;
      this.stopDrawn = this.cue?.key;
      drawTour(this.plan, this.places, now);
      for (const part of this.svg.querySelectorAll(".part")) part.classList.toggle("target", (this.cue?.refs ?? []).includes(part.dataset.ref));
    },

    // Of several plans that of the side on which the part in hand sits.
    turnTo(ref) {
      const plan = plans().find((one) => one.part(ref));
      if (!plan || plan === this.plan) return;
      [this.plan, this.svg] = [plan, plan.svg];
      for (const face of document.querySelectorAll("[data-face]")) face.hidden = !face.contains(plan.svg);
    },
    // The plan: the part in hand, where paste goes, the board turned as it lies.
    draw() {
      this.turnTo(this.cue?.refs[0]);
      const refs = this.cue?.refs ?? [];
      for (const part of this.svg.querySelectorAll(".part")) {
        part.classList.toggle("placed", this.kind === "place" && this.done.includes(part.dataset.ref));
        part.classList.toggle("target", refs.includes(part.dataset.ref));
      }
      for (const group of document.querySelectorAll(".hand-step")) {
        group.classList.toggle("is-done", this.done.includes(group.dataset.step));
        group.classList.toggle("is-now", this.cue !== null && Number(group.dataset.step) === this.cue.spot);
      }
      for (const drawing of document.querySelectorAll("[data-package]")) drawing.hidden = drawing.dataset.package !== this.cue?.shape;
      for (const pad of this.svg.querySelectorAll(".pad.first-pin")) pad.classList.remove("first-pin");
      if (this.kind === "place") layBoard(this.svg, this.plan, this.cue);
      else this.frame();
    },
    frame() {
      const { plan, cue } = this;
      const spot = document.querySelector(".hand-step.is-now");
      const pad = cue && cue.pin && !spot ? plan.pad(cue.refs[0], cue.pin) : null;
      pad?.classList.add("first-pin");
      const touched = (cue?.points ?? []).map((one) => plan.pad(one.slice(0, one.lastIndexOf(".")), one.slice(one.lastIndexOf(".") + 1))).filter(Boolean);
      for (const one of touched) one.classList.add("first-pin");
      const bodies = spot && cue.pin ? [] : (cue?.refs ?? []).map((ref) => plan.part(ref));
      const seen = [spot, pad, ...touched, ...bodies].filter(Boolean);
      if (seen.length) plan.frameOn(seen, 3);
      else plan.reset();
    },
  })));
});

// The board turned as it lies, the part in the middle of a cut-out; names stay upright.
export const layBoard = (svg, plan, cue) => {
  const view = svg.querySelector(".plan-view");
  view.removeAttribute("transform");
  const turn = cue ? (360 - cue.turn) % 360 : 0;
  const body = cue ? plan.part(cue.refs[0]) : null;
  const [width, height] = [plan.width, plan.height];
  let [x, y, reach] = [width / 2, height / 2, Math.hypot(width, height) / 2];
  if (body) {
    const box = body.getBBox();
    const to = view.getCTM().inverse().multiply(body.getCTM());
    const middle = new DOMPoint(box.x + box.width / 2, box.y + box.height / 2).matrixTransform(to);
    [x, y, reach] = [middle.x, middle.y, Math.max(Math.max(box.width, box.height) * 2.2, 9)];
  }
  view.setAttribute("transform", `rotate(${turn} ${x} ${y})`);
  for (const name of svg.querySelectorAll(".name")) name.setAttribute("transform", `rotate(${-turn} ${name.getAttribute("x")} ${name.getAttribute("y")})`);
  svg.setAttribute("viewBox", `${x - reach * 1.35} ${y - reach} ${2.7 * reach} ${2 * reach}`);
  if (cue?.pin) plan.pad(cue.refs[0], cue.pin)?.classList.add("first-pin");
  drawInset(document.querySelector("[data-inset]"), plan, body ? [x, y] : null, turn);
};

// The bar of a heat: moves as named bands, the forecast flow with its spread below, the latest stop, and now as a rule.
export class HeatBar {
  constructor(svg, run) {
    this.svg = svg;
    window.addEventListener("resize", () => this.draw());
    this.expect(run);
  }

  // What is expected now: flows still to come and the cautious stop.
  expect({ spans, flows, stop_s: stop }) {
    Object.assign(this, { spans, flows, stop });
    this.draw();
  }

  x(seconds) { return (seconds / this.end) * this.width; }
  get end() { return Math.max(...this.spans.map((one) => one.to_s), this.stop ?? 0, ...this.flows.map((one) => one.at_s), 1) * 1.02; }

  node(name, attributes, text = "") { this.svg.append(svgNode(name, attributes, text)); return this.svg.lastChild; }

  draw() {
    this.width = Math.max(this.svg.clientWidth, 200);
    this.svg.setAttribute("viewBox", `0 0 ${this.width} 108`);
    this.svg.replaceChildren();
    const fills = { warm: "#4a5430", close: "#7a590f", hold: "#8f670d", withdraw: "#27474a", preheat: "#4a5430", plate: "#7a590f", oven: "#7a590f" };
    for (const span of this.spans) {
      const width = Math.max(this.x(span.to_s - span.from_s) - 3, 1);
      this.node("rect", { x: this.x(span.from_s), y: 30, width, height: 36, fill: fills[span.kind] });
      if (width > 9 * span.word.length + 14) this.node("text", { x: this.x(span.from_s) + 10, y: 54, class: "bar-word" }, span.word);
    }
    for (const flow of this.flows) {
      if (flow.late_s !== null && flow.late_s > flow.at_s) this.node("rect", { x: this.x(flow.at_s), y: 70, width: Math.max(this.x(flow.late_s - flow.at_s), 2), height: 8, fill: "#f5b133", "fill-opacity": 0.6 });
      this.node("rect", { x: this.x(flow.at_s) - 3, y: 24, width: 6, height: 56, fill: "#f5b133" });
    }
    if (this.flows.length) this.node("text", { x: this.x(this.flows[0].at_s), y: 18, class: "bar-word live", "text-anchor": "middle" }, this.flows.length > 1 ? "first melts" : "melts");
    if (this.stop !== null) {
      this.node("rect", { x: this.x(this.stop) - 3, y: 28, width: 6, height: 58, fill: "#ff7a57" });
      this.node("text", { x: Math.min(this.x(this.stop), this.width - 60), y: 102, class: "bar-word harm", "text-anchor": "middle" }, "stop by here");
    }
    this.rule = this.node("rect", { x: 0, y: 22, width: 4, height: 64, fill: "#ffffff" });
  }

  move(elapsed) { this.rule?.setAttribute("x", Math.min(this.x(elapsed), this.width - 4)); }
};
