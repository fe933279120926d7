// The dot plan at the bench: one key for done, one for undo; a step counts when the server says it is stored.
"use strict";

document.addEventListener("alpine:init", () => {
  const first = JSON.parse(document.getElementById("state").textContent);

  window.Alpine.data("hand", () => window.withTaps({ api: `/api/hand/${first.run}/taps`, shelf: `yellowfen-hand-${first.run}` }, {
    ...first,

    init() {
      this.plan = window.plans()[0];
      this.beginTaps();
    },

    get at() { return this.taps.length + this.pending.length; },
    get step() { return this.steps[this.at] ?? null; },
    get before() { return this.steps[this.at - 1] ?? null; },
    get over() { return this.step === null; },
    get doneWidth() { return String((1000 * this.at) / this.steps.length); },
    needle(step) { return step.gauge ? `${step.gauge} gauge` : "knife or pick"; },
    get changes() { return this.step !== null && (this.before === null || this.before.gauge !== this.step.gauge); },
    get ref() { return this.over ? "" : this.step.ref; },
    get now() {
      if (this.over) return "Every pad has its paste. Place the parts.";
      const step = this.step;
      if (step.way === "line") return `One line across ${step.pins} pads`;
      const each = step.spots / step.pins;
      const mark = step.gauge ? "dot" : "dab";
      const where = step.pin ? `on pin ${step.pin}` : step.pins > 1 && Number.isInteger(each) ? `on each of ${step.pins} pads` : `on ${step.pins} pads`;
      const count = step.pins > 1 && Number.isInteger(each) ? each : step.spots;
      return `${count} ${mark}${count === 1 ? "" : "s"} ${where}`;
    },
    get what() { return this.over ? "" : `${this.changes ? "Change to the " : ""}${this.needle(this.step)}, ${this.step.wide} mm wide`; },
    get mind() { return this.over ? "" : this.step.way === "line" ? "" : this.step.said; },
    get left() {
      if (this.over) return "";
      const same = this.steps.slice(this.at).filter((one) => one.gauge === this.step.gauge).length;
      return `${this.steps.length - this.at} to go, ${same} with this needle`;
    },
    get cue() { return this.over ? this.now : `${this.step.ref}: ${this.changes ? `${this.what}. ` : ""}${this.now}`; },
    get keyText() { return this.over ? "All stored" : `Done: ${this.step.ref}${this.step.pin ? ` pin ${this.step.pin}` : ""}`; },
    get keyHint() { return this.over ? "" : "Space, Page Down or pedal"; },
    get stored() { return this.pending.length ? `${this.pending.length} kept here, not yet stored` : this.at ? `${this.at} of ${this.steps.length} stored` : ""; },

    show() {
      for (const group of document.querySelectorAll(".hand-step")) {
        const number = Number(group.dataset.step);
        group.classList.toggle("is-done", number < this.at);
        group.classList.toggle("is-now", number === this.at);
      }
      for (const part of document.querySelectorAll(".plan .part")) part.classList.toggle("target", this.step !== null && part.dataset.ref === this.step.ref);
      const now = document.querySelector(".hand-step.is-now");
      const body = this.step === null ? null : this.plan.part(this.step.ref);
      if (now) this.plan.frameOn(body && !this.step.pin ? [now, body] : [now], 3);
      else this.plan.reset();
      this.say(this.cue);
    },
    go() { if (!this.over) this.add({ step: this.at }); },
  }));
});
