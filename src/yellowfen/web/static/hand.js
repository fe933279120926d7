// The dot plan at the bench: one key for done, one for undo; a step counts when the server says it is stored.
"use strict";

document.addEventListener("alpine:init", () => {
  const first = JSON.parse(document.getElementById("state").textContent);

  window.Alpine.data("hand", () => ({
    ...first,
    problem: "",
    voice: false,
    said: "",
    busy: false,
    waiting: [],

    init() {
      this.waiting = JSON.parse(localStorage.getItem(this.shelf) ?? "[]");
      window.addEventListener("keydown", (event) => {
        if (event.repeat) return;
        if ([" ", "PageDown", "Enter"].includes(event.key)) { event.preventDefault(); this.go(); }
        else if (["Backspace", "PageUp"].includes(event.key)) { event.preventDefault(); this.undo(); }
      });
      this.plan = window.plans()[0];
      this.show();
      this.send();
    },

    get shelf() { return `yellowfen-hand-${first.run}`; },
    get pending() { return this.waiting.filter((one) => !this.taps.some((tap) => tap.key === one.key)); },
    get at() { return this.taps.length + this.pending.length; },
    get step() { return this.steps[this.at] ?? null; },
    get before() { return this.steps[this.at - 1] ?? null; },
    get over() { return this.step === null; },
    get fresh() { return this.at === 0; },
    get voiceText() { return String(this.voice); },
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
      const cue = this.over ? this.now : `${this.step.ref}: ${this.changes ? `${this.what}. ` : ""}${this.now}`;
      if (this.voice && cue !== this.said && "speechSynthesis" in window) window.speechSynthesis.speak(new SpeechSynthesisUtterance(cue));
      this.said = cue;
    },
    toggleVoice() { this.voice = !this.voice; this.said = ""; this.show(); },

    go() {
      if (this.over) return;
      this.waiting = [...this.waiting, { key: crypto.randomUUID(), step: this.at, at_ms: Date.now() }];
      this.shelve();
      this.show();
      this.send();
    },
    shelve() { localStorage.setItem(this.shelf, JSON.stringify(this.waiting)); },

    async send() {
      if (this.busy) return;
      this.busy = true;
      while (this.waiting.length) {
        const tap = this.waiting[0];
        try {
          const reply = await fetch(`/api/hand/${first.run}/taps`, { method: "POST", body: JSON.stringify(tap), headers: { "content-type": "application/json", accept: "application/json" } });
          const answer = await reply.json();
          if (reply.ok) { this.taps = answer.taps; this.problem = ""; } else this.problem = answer.problem;
          this.waiting = this.waiting.slice(1);
          this.shelve();
        } catch {
          this.problem = "The server does not answer. What is done is kept on this device and sent when it is back.";
          await new Promise((resolve) => setTimeout(resolve, 1000));
        }
      }
      this.busy = false;
      this.show();
    },

    async undo() {
      if (this.fresh) return;
      if (this.waiting.length && !this.busy) { this.waiting = this.waiting.slice(0, -1); this.shelve(); this.show(); return; }
      const tap = this.taps[this.taps.length - 1];
      if (!tap) return;
      try {
        const reply = await fetch(`/api/hand/${first.run}/taps/${tap.key}`, { method: "DELETE", headers: { accept: "application/json" } });
        const answer = await reply.json();
        if (reply.ok) { this.taps = answer.taps; this.problem = ""; } else this.problem = answer.problem;
      } catch {
        this.problem = "The server does not answer; nothing was taken back.";
      }
      this.show();
    },
  }));
});
