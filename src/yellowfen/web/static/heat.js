// The Heat stage: settings in, rehearsal out, drawn on the plan, the heat line and the bench card.
"use strict";

document.addEventListener("alpine:init", () => {
  const settings = JSON.parse(document.getElementById("settings").textContent);
  const stations = JSON.parse(document.getElementById("stations").textContent);
  const names = { warm: "Warm", close: "Close in", hold: "Hold", withdraw: "Away" };
  const fine = (value) => (value === null || value === undefined ? "never" : `${Math.round(value)} s`);

  window.Alpine.data("heat", () => ({
    ...settings,
    problem: "",
    answer: null,
    outlook: null,
    heatOn: true,
    at: 0,
    turn: 0,
    timer: 0,
    picture: null,
    line: null,
    plan: null,

    init() {
      [this.plan] = window.plans();
      this.line = new window.HeatLine(document.querySelector("[data-heat-line]"), (seconds) => this.show(seconds));
      this.plan.onTap((ref) => this.toggle(ref));
      this.job = this.$root.dataset.job;
      this.large = this.$root.dataset.large === "1";
      this.markTargets();
      if (this.targets.length) this.rehearse();
    },

    get none() { return this.targets.length === 0; },
    get some() { return this.targets.length > 0; },
    get heatOnText() { return String(this.heatOn); },
    get stationText() { return this.station_id === null ? "" : String(this.station_id); },
    set stationText(text) { this.station_id = text === "" ? null : Number(text); },
    get station() { return this.station_id === null ? null : stations[this.station_id]; },
    get setOutlet() { return `${this.outlet_c} °C`; },
    get setFlow() { return `${this.flow_lpm} L/min`; },
    get setNozzle() { return `${this.nozzle_mm} mm`; },
    get outletNote() { return this.station && this.station.outlet_label && this.station.outlet_c === this.outlet_c ? `outlet, your “${this.station.outlet_label}”` : "outlet"; },
    get flowNote() { return this.station && this.station.flow_label && this.station.flow_lpm === this.flow_lpm ? `air, your “${this.station.flow_label}”` : "air"; },
    get jetFactor() { return this.answer ? String(this.answer.jet_factor) : ""; },
    get warnings() { return this.answer && !this.answer.empty ? this.answer.warnings : []; },
    get cursorText() { return this.answer && !this.answer.empty ? `${Math.round(this.at)} s` : ""; },
    get modelText() {
      if (!this.answer || this.answer.empty) return "";
      const e = this.answer.energy;
      return `Board in ${this.answer.cell_mm} mm cells; ${e.in_j} J put in, bookkeeping closes to ${Math.abs(e.residual_j)} J; hottest spot of the board ${this.answer.board_peak_c} °C.${this.answer.quick ? " First, coarse answer; refining." : ""}`;
    },

    blows(move) { return move.do !== "withdraw"; },
    moveName(move) { return names[move.do]; },
    moveLabel(move, what) { return `${names[move.do]}: ${what}`; },
    dropLabel(ref) { return `Drop ${ref}`; },

    toggle(ref) { this.targets = this.targets.includes(ref) ? this.targets.filter((one) => one !== ref) : [...this.targets, ref]; this.retarget(); },
    drop(ref) { this.targets = this.targets.filter((one) => one !== ref); this.retarget(); },
    retarget() { this.markTargets(); this.changed(); },
    addWarm() { this.insert({ do: "warm", seconds: 20, height_mm: 60, circle_mm: 10, circle_s: 2 }); },
    addClose() { this.insert({ do: "close", seconds: 30, height_mm: 15, circle_mm: 4, circle_s: 2 }); },
    addHold() { this.insert({ do: "hold", seconds: 5, height_mm: 15, circle_mm: 0, circle_s: 2 }); },
    insert(move) {
      const last = this.moves.findIndex((one) => one.do === "withdraw");
      const place = last < 0 ? this.moves.length : last;
      this.moves = [...this.moves.slice(0, place), move, ...this.moves.slice(place)];
      this.changed();
    },
    removeMove(index) { this.moves = this.moves.filter((_, i) => i !== index); this.changed(); },
    takeStation() {
      const station = this.station;
      if (station) { this.nozzle_mm = station.nozzle_mm; this.outlet_c = station.outlet_c; this.flow_lpm = station.flow_lpm; this.outlet_offset_c = station.outlet_offset_c; }
      else this.outlet_offset_c = 0;
      this.changed();
    },

    markTargets() {
      for (const part of this.plan.svg.querySelectorAll(".part")) part.classList.toggle("target", this.targets.includes(part.dataset.ref));
    },
    changed() { clearTimeout(this.timer); this.timer = setTimeout(() => this.rehearse(), 20); },

    asked() {
      return {
        alloy: this.alloy, station_id: this.station_id, nozzle_mm: this.nozzle_mm, outlet_c: this.outlet_c, flow_lpm: this.flow_lpm,
        outlet_offset_c: this.outlet_offset_c, underside: this.underside, ambient_c: this.ambient_c, targets: this.targets,
        moves: this.moves.map((move) => ({ ...move })),
      };
    },

    async rehearse() {
      const turn = ++this.turn;
      const body = JSON.stringify(this.asked());
      const steps = this.large ? ["?quick=true", ""] : [""];
      for (const step of steps) {
        const done = await this.post(`/api/jobs/${this.job}/rehearse${step}`, body, turn);
        if (!done) return;
      }
      if (this.answer.empty) return;
      await new Promise((resolve) => setTimeout(resolve, 400));
      if (turn !== this.turn) return;
      const look = await fetch(`/api/jobs/${this.job}/outlook`, { headers: { accept: "application/json" } });
      if (turn === this.turn && look.ok) this.outlook = await look.json();
    },

    async post(where, body, turn) {
      let reply;
      try {
        reply = await fetch(where, { method: "POST", body, headers: { "content-type": "application/json", accept: "application/json" } });
      } catch {
        this.problem = "The server does not answer; start it again, your settings are kept here until then.";
        return false;
      }
      const answer = await reply.json();
      if (turn !== this.turn) return false;
      if (!reply.ok) { this.problem = answer.problem; return false; }
      this.problem = "";
      this.take(answer);
      return true;
    },

    take(answer) {
      this.answer = answer;
      if (!answer.quick) this.outlook = null;
      if (answer.empty) { window.HeatPicture.clear(this.plan); this.line.svg.replaceChildren(); this.picture = null; return; }
      this.line.draw(answer);
      window.HeatPicture.clear(this.plan);
      this.picture = new window.HeatPicture(this.plan, answer.frames);
      const near = Object.entries(answer.parts).filter(([, fate]) => !fate.target && (fate.molten_s !== null || fate.limit_passed_s !== null)).map(([ref]) => ref);
      for (const part of this.plan.svg.querySelectorAll(".part")) part.classList.toggle("near", near.includes(part.dataset.ref));
      const molten = answer.events.filter((event) => event.kind === "all molten").map((event) => event.at_s);
      const seen = this.turn === this.shownTurn ? this.at : molten.length ? Math.max(...molten) : answer.total_s * 0.6;
      this.shownTurn = this.turn;
      this.show(Math.min(seen, answer.total_s));
      document.body.dataset.rehearsed = answer.quick ? "quick" : "fine";
      document.body.dataset.turn = String(this.turn);
    },

    show(seconds) {
      this.at = seconds;
      this.line.moveTo(seconds);
      if (this.picture && this.heatOn) {
        this.picture.draw(seconds, this.answer.liquidus_c);
        this.picture.pads(seconds, this.answer.parts);
        this.picture.nozzle(seconds, this.answer.moves, this.nozzle_mm);
      }
    },
    toggleHeat() {
      this.heatOn = !this.heatOn;
      if (this.heatOn && this.picture) this.show(this.at); else window.HeatPicture.clear(this.plan);
    },

    get verdict() {
      if (this.none) return "Choose a part to heat.";
      if (!this.answer || this.answer.empty) return "Rehearsing…";
      const cold = this.targets.filter((ref) => this.answer.parts[ref]?.molten_s === null);
      if (cold.length) return `${cold.join(", ")} would not melt through.`;
      const hot = this.targets.filter((ref) => this.answer.parts[ref]?.limit_passed_s !== null);
      const last = Math.max(...this.targets.map((ref) => this.answer.parts[ref].molten_s));
      const off = this.heatEnd;
      if (hot.length) return `${hot.join(", ")} flows at about ${fine(last)}, but gets too hot.`;
      const stop = this.outlook?.latest;
      if (stop && stop.at_s < off) return `All flows at about ${fine(last)}${this.band(last)}; take the heat away before ${fine(stop.at_s)}.`;
      return `All flows at about ${fine(last)}${this.band(last)}; heat away at ${fine(off)}.`;
    },
    get heatEnd() { return this.moves.filter((move) => move.do !== "withdraw").reduce((sum, move) => sum + Number(move.seconds), 0); },
    get looseText() {
      if (!this.answer || this.answer.empty) return "";
      const loose = this.answer.events.filter((event) => event.kind === "neighbour loose");
      if (!loose.length) return "";
      const refs = loose.map((event) => event.ref);
      const shown = refs.slice(0, 6).join(", ") + (refs.length > 6 ? ` and ${refs.length - 6} more` : "");
      return `Loose from ${fine(loose[0].at_s)} on: ${shown}. No knock, no gust.`;
    },
    band() {
      if (!this.outlook) return "";
      const early = this.outlook.bands.map((band) => band.early_s);
      const late = this.outlook.bands.map((band) => band.late_s);
      if (early.includes(null)) return "";
      const to = late.includes(null) ? "later than the recipe" : fine(Math.max(...late));
      return ` (${Math.round(Math.max(...early))} to ${to})`;
    },
    get verdictClass() {
      if (!this.answer || this.answer.empty || this.none) return "";
      const bad = this.targets.some((ref) => this.answer.parts[ref]?.molten_s === null || this.answer.parts[ref]?.limit_passed_s !== null);
      return bad ? "bad" : "good";
    },
    get cues() {
      if (!this.answer || this.answer.empty) return [];
      const kinds = { "all molten": "live", "first melt": "live", "limit passed": "bad", "stays cold": "bad" };
      return this.answer.events
        .filter((event) => !event.kind.startsWith("neighbour"))
        .map((event, i) => ({ key: `${i}${event.ref}`, when: fine(event.at_s), what: event.sentence, kind: kinds[event.kind] ?? "" }));
    },
    get stopText() {
      if (!this.outlook) return "";
      const stop = this.outlook.latest;
      if (!stop) return "No harm foreseen if you go on for 90 s more.";
      const early = this.outlook.cautious;
      return early && early.at_s < stop.at_s - 2 ? `Stop by ${fine(stop.at_s)}, if the air is strong already by ${fine(early.at_s)}:` : `Stop by ${fine(stop.at_s)}:`;
    },
    get stopWhy() { return this.outlook && this.outlook.latest ? `${this.outlook.latest.why}.` : ""; },
  }));
});
