// The placement run: one part at a time, the board as it lies; one key for placed, one for undo, others for skip and trouble.
"use strict";

document.addEventListener("alpine:init", () => {
  const first = JSON.parse(document.getElementById("state").textContent);

  window.Alpine.data("place", () => window.withTaps({ api: `/api/place/${first.run}/taps`, shelf: `yellowfen-place-${first.run}` }, {
    ...first,

    init() {
      this.svg = document.querySelector("svg.plan");
      this.beginTaps({ ArrowRight: () => this.skip(), d: () => this.dropped(), m: () => this.missing(), p: () => this.doubtful() });
    },

    // The same rules as in the core: placed, skipped to the end, set aside, or still to do.
    get after() {
      const toDo = this.steps.map((step) => step.ref);
      const placed = [];
      const aside = {};
      for (const tap of [...this.taps, ...this.pending]) {
        const at = toDo.indexOf(tap.ref);
        if ((at < 0 && !(tap.ref in aside)) || tap.what === "dropped") continue;
        if (at >= 0) toDo.splice(at, 1);
        delete aside[tap.ref];
        if (tap.what === "placed") placed.push(tap.ref);
        else if (tap.what === "skipped") toDo.push(tap.ref);
        else aside[tap.ref] = tap.what;
      }
      return { toDo, placed, aside };
    },
    get step() { const ref = this.after.toDo[0]; return this.steps.find((one) => one.ref === ref) ?? null; },
    get lastPlaced() { const { placed } = this.after; return this.steps.find((one) => one.ref === placed[placed.length - 1]) ?? null; },
    get over() { return this.step === null; },
    get doneWidth() { return String((1000 * this.after.placed.length) / this.steps.length); },
    get turns() { return this.step !== null && (this.lastPlaced === null || this.lastPlaced.turn !== this.step.turn); },
    get newValue() { return this.step !== null && (this.lastPlaced === null || this.lastPlaced.value !== this.step.value || this.lastPlaced.package !== this.step.package); },
    get ref() { return this.over ? "" : this.step.ref; },
    get now() {
      if (this.over) return Object.keys(this.after.aside).length ? "The rest is set aside." : "All parts of this side are placed.";
      return this.step.value || this.step.package;
    },
    get from() {
      if (this.over) return Object.entries(this.after.aside).map(([ref, why]) => `${ref} ${why}`).join(", ");
      const where = this.step.where ? ` from ${this.step.where}` : "";
      return `${this.newValue ? "Fetch" : "Same again"}: ${this.step.package}${where}`;
    },
    get turnText() { return this.over || !this.turns ? "" : this.lastPlaced === null ? "Lay the board as shown" : "Turn the board as shown"; },
    get way() { return this.over ? "" : this.step.way; },
    get mark() { return this.over ? "" : this.step.mark; },
    get left() {
      if (this.over) return "";
      const { toDo } = this.after;
      const same = toDo.filter((ref) => { const one = this.steps.find((step) => step.ref === ref); return one.value === this.step.value && one.package === this.step.package; }).length;
      const aside = Object.keys(this.after.aside).length;
      return `${toDo.length} to go, ${same} of this value${aside ? `, ${aside} set aside` : ""}`;
    },
    get batchText() {
      if (this.over || !this.batches) return "";
      const anew = this.step.anew ? ", paste it only now" : "";
      return `· batch ${this.step.batch + 1} of ${this.batches}${anew}`;
    },
    // What is said, and what a screen reader hears: every cue in full.
    get cue() {
      if (this.over) return this.now;
      const turn = this.turnText ? `${this.turnText}, turned by ${this.step.turn} degrees. ` : "";
      return `${turn}${this.step.anew ? "Paste from here on only now. " : ""}${this.step.ref}, ${this.now}. ${this.newValue ? `${this.from}. ` : ""}${this.step.directed ? this.way : ""}`;
    },
    get keyText() { return this.over ? "All stored" : `Placed: ${this.step.ref}`; },
    get keyHint() { return this.over ? "" : "Space, Page Down or pedal"; },
    get stored() { const done = this.after.placed.length; return this.pending.length ? `${this.pending.length} kept here, not yet stored` : this.taps.length ? `${done} of ${this.steps.length} placed and stored` : ""; },

    show() {
      const { placed } = this.after;
      for (const part of this.svg.querySelectorAll(".part")) {
        part.classList.toggle("placed", placed.includes(part.dataset.ref));
        part.classList.toggle("target", this.step !== null && part.dataset.ref === this.step.ref);
      }
      for (const pad of this.svg.querySelectorAll(".pad.first-pin")) pad.classList.remove("first-pin");
      this.lay();
      for (const drawing of document.querySelectorAll("[data-package]")) drawing.hidden = this.over || !this.step.directed || drawing.dataset.package !== this.step.package;
      this.say(this.cue);
    },
    // The board turned as it lies, the part in the middle of a cut-out; names stay upright.
    lay() {
      const view = this.svg.querySelector(".plan-view");
      const turn = this.over ? 0 : (360 - this.step.turn) % 360;
      const [x, y] = this.over ? [this.width / 2, this.height / 2] : [this.step.x, this.step.y];
      view.setAttribute("transform", `rotate(${turn} ${x} ${y})`);
      for (const name of this.svg.querySelectorAll(".name")) name.setAttribute("transform", `rotate(${-turn} ${name.getAttribute("x")} ${name.getAttribute("y")})`);
      const reach = this.over ? Math.hypot(this.width, this.height) / 2 : Math.max(this.step.reach * 2.2, 9);
      this.svg.setAttribute("viewBox", `${x - reach * 1.35} ${y - reach} ${2.7 * reach} ${2 * reach}`);
      if (!this.over && this.step.directed) this.svg.querySelector(`.pad[data-ref="${CSS.escape(this.step.ref)}"][data-pin="${CSS.escape(this.step.pin)}"]`)?.classList.add("first-pin");
      const inset = document.querySelector("[data-inset]");
      const half = Math.hypot(this.width, this.height) / 2;
      inset.setAttribute("viewBox", `${-half} ${-half} ${2 * half} ${2 * half}`);
      inset.replaceChildren();
      const group = window.svgNode("g", { transform: `rotate(${turn})` });
      group.append(window.svgNode("rect", { class: "inset-board", x: -this.width / 2, y: -this.height / 2, width: this.width, height: this.height, rx: 1 }));
      if (!this.over) group.append(window.svgNode("circle", { class: "inset-here", cx: x - this.width / 2, cy: y - this.height / 2, r: half * 0.07 }));
      group.append(window.svgNode("path", { class: "inset-corner", d: `M${-this.width / 2},${this.height / 2}h${half * 0.25}L${-this.width / 2},${this.height / 2 - half * 0.25}Z` }));
      inset.append(group);
    },

    tap(what) { if (!this.over) this.add({ ref: this.step.ref, what }); },
    go() { this.tap("placed"); },
    skip() { if (this.after.toDo.length > 1) this.tap("skipped"); },
    dropped() { this.tap("dropped"); },
    missing() { this.tap("missing"); },
    doubtful() { this.tap("doubtful"); },
  }));
});
