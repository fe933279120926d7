// The run at the bench: one key goes on, one takes back; a tap counts when the server says it is stored.
"use strict";

document.addEventListener("alpine:init", () => {
  const first = JSON.parse(document.getElementById("state").textContent);
  const starts = { plate: "Start: board on the plate", oven: "Start: oven on", preheat: "Start: heat from below on" };
  const names = { warm: "Warm the area", close: "Close in", hold: "Hold still", withdraw: "Take the heat away", preheat: "Heat from below only", plate: "Board on the plate", oven: "Board in the oven" };

  window.Alpine.data("run", () => window.withTaps({ api: `/api/runs/${first.run}/taps`, shelf: `yellowfen-run-${first.run}` }, {
    ...first,
    offset: first.now_ms - Date.now(),
    elapsed: 0,
    barWidth: 1000,

    init() {
      this.drawBar();
      window.addEventListener("resize", () => this.drawBar());
      setInterval(() => this.show(), 100);
      this.beginTaps();
    },

    // The steps the one key goes through, in the order in which they fall due.
    get steps() {
      const heating = this.moves.filter((move) => move.do !== "withdraw");
      const begins = heating.map((_, i) => heating.slice(0, i).reduce((sum, move) => sum + move.seconds, 0));
      const middle = [
        ...heating.slice(1).map((move, i) => ({ kind: "next move", ref: "", text: `${names[move.do]} now`, soon: names[move.do], due: begins[i + 1] })),
        ...this.targets.map((target) => ({ kind: "it flowed", ref: target.ref, text: `${target.ref} flowed`, soon: `${target.ref} should flow`, due: target.flows_s ?? this.heatEnd })),
      ].sort((a, b) => a.due - b.due);
      return [
        { kind: "start", ref: "", text: starts[this.moves[0].do] ?? "Start: air on the board", due: 0 },
        ...middle,
        { kind: "heat away", ref: "", text: "Heat is away", soon: "Take the heat away", due: Math.min(this.heatEnd, this.latest_s ?? Infinity) },
        { kind: "solid", ref: "", text: "All is solid", due: null },
      ];
    },
    get done() { return [...this.taps, ...this.pending]; },
    get step() { return this.steps[this.done.length] ?? null; },
    get over() { return this.step === null; },
    get started() { const tap = this.pending.find((one) => one.kind === "start"); return this.started_ms ?? (tap ? tap.at_ms : null); },
    get away() { return this.done.some((tap) => tap.kind === "heat away"); },

    get clock() {
      if (this.started === null) return "0:00";
      const whole = Math.max(0, Math.floor(this.elapsed));
      return `${Math.floor(whole / 60)}:${String(whole % 60).padStart(2, "0")}`;
    },
    get heatingMove() {
      const heating = this.moves.filter((move) => move.do !== "withdraw");
      const passed = this.done.filter((tap) => tap.kind === "next move").length;
      return heating[Math.min(passed, heating.length - 1)];
    },
    get now() {
      if (this.over) return "Done. Let it cool untouched.";
      if (this.started === null) return this.moves[0].blows ? "Ready? Nozzle hot, part placed, flux on." : "Ready? Parts placed, heat at hand, nothing near that burns.";
      if (this.away) return "Hands off until it is solid.";
      const move = this.heatingMove;
      if (!move.blows) return `${names[move.do]}.`;
      const ways = { circle: "circling", rows: "along the rows", ends: "end to end" };
      return `${names[move.do]}: ${move.height_mm} mm${move.circle_mm > 0 && ways[move.path] ? `, ${ways[move.path]} ${move.circle_mm} mm` : ""}`;
    },
    get due() { return this.step && this.started !== null ? this.step.due : null; },
    get heatEnd() { return this.moves.filter((move) => move.do !== "withdraw").reduce((sum, move) => sum + move.seconds, 0); },
    get late() { return this.latest_s !== null && this.started !== null && !this.away && !this.over && this.elapsed > this.latest_s; },
    get next() {
      if (this.over) return this.targets.map((target) => this.seenText(target)).join("   ");
      if (this.started === null) return `Forecast: ${this.targets.map((t) => `${t.ref} flows at ${this.seconds(t.flows_s)}`).join(", ")}`;
      if (this.late) return `Heat away now: ${this.latest_why}`;
      if (this.due === null) return this.step.kind === "solid" ? "Wait for the dull skin; a nudge is too early." : "Watch for the shine.";
      const left = Math.round(this.due - this.elapsed);
      return left > 0 ? `${this.step.soon}: in about ${left} s` : `${this.step.soon}: due ${-left} s ago`;
    },
    get nextClass() { return this.late ? "urgent" : ""; },
    get keyText() { return this.over ? "All taps stored" : this.step.text; },
    get keyHint() { return this.over ? "" : "Space, Page Down or pedal"; },
    get stored() {
      if (this.pending.length) return `${this.pending.length} tap${this.pending.length > 1 ? "s" : ""} kept here, not yet stored`;
      return this.taps.length ? `Stored: ${this.taps.map((tap) => `${tap.ref ? `${tap.ref} ` : ""}${tap.kind} ${Math.round(tap.at_s)} s`).join(", ")}` : "";
    },
    seconds(value) { return value === null ? "no time" : `${Math.round(value)} s`; },
    seenText(target) {
      const tap = this.taps.find((one) => one.kind === "it flowed" && one.ref === target.ref);
      return tap ? `${target.ref} flowed at ${Math.round(tap.at_s)} s, forecast ${this.seconds(target.flows_s)}` : "";
    },

    show() {
      this.elapsed = this.started === null || this.over ? this.lastTap() : (Date.now() + this.offset - this.started) / 1000;
      this.moveBar();
      this.say(this.late ? "Heat away now" : this.now);
    },
    lastTap() { const tap = this.taps[this.taps.length - 1]; return tap ? tap.at_s : 0; },
    go() {
      if (!this.over) this.add({ kind: this.step.kind, ref: this.step.ref, at_ms: Math.round(Date.now() + this.offset) });
    },
    take(answer) { this.taps = answer.taps; this.started_ms = answer.started_ms; },

    // The bar: moves as named bands, the forecast flow with its spread below, the latest stop, and now as a rule.
    barX(seconds) { return (seconds / this.barEnd) * this.barWidth; },
    get barEnd() { return Math.max(this.moves.reduce((sum, move) => sum + move.seconds, 0), this.latest_s ?? 0) * 1.02; },
    drawBar() {
      const bar = document.querySelector("[data-bar]");
      this.barWidth = Math.max(bar.clientWidth, 200);
      bar.setAttribute("viewBox", `0 0 ${this.barWidth} 108`);
      bar.replaceChildren();
      const node = (name, attributes, text = "") => {
        const one = document.createElementNS("http://www.w3.org/2000/svg", name);
        for (const [key, value] of Object.entries(attributes)) one.setAttribute(key, value);
        one.textContent = text;
        bar.append(one);
        return one;
      };
      const fills = { warm: "#4a5430", close: "#7a590f", hold: "#8f670d", withdraw: "#27474a", preheat: "#4a5430", plate: "#7a590f", oven: "#7a590f" };
      const words = { warm: "warm", close: "close in", hold: "hold", withdraw: "away", preheat: "from below", plate: "on the plate", oven: "in the oven" };
      let start = 0;
      for (const move of this.moves) {
        const width = Math.max(this.barX(move.seconds) - 3, 1);
        node("rect", { x: this.barX(start), y: 30, width, height: 36, fill: fills[move.do] });
        if (width > 70) node("text", { x: this.barX(start) + 10, y: 54, class: "bar-word" }, words[move.do]);
        start += move.seconds;
      }
      const flows = this.targets.filter((one) => one.flows_s !== null);
      for (const target of flows) {
        if (target.early_s !== null) node("rect", { x: this.barX(target.early_s), y: 70, width: Math.max(this.barX((target.late_s ?? this.barEnd) - target.early_s), 2), height: 8, fill: "#f5b133", "fill-opacity": 0.6 });
        node("rect", { x: this.barX(target.flows_s) - 3, y: 24, width: 6, height: 56, fill: "#f5b133" });
      }
      if (flows.length) node("text", { x: this.barX(flows[0].flows_s), y: 18, class: "bar-word live", "text-anchor": "middle" }, flows.length > 1 ? "first flows" : `${flows[0].ref} flows`);
      if (this.latest_s !== null) {
        node("rect", { x: this.barX(this.latest_s) - 3, y: 28, width: 6, height: 58, fill: "#ff7a57" });
        node("text", { x: Math.min(this.barX(this.latest_s), this.barWidth - 60), y: 102, class: "bar-word harm", "text-anchor": "middle" }, "stop by here");
      }
      this.rule = node("rect", { x: 0, y: 22, width: 4, height: 64, fill: "#ffffff" });
    },
    moveBar() { this.rule?.setAttribute("x", Math.min(this.barX(this.elapsed), this.barWidth - 4)); },
  }));
});
