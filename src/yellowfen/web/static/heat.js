// The Heat stage: settings in, rehearsal out, drawn on the plan, the heat line and the bench card.
import { ask, pause } from "./ask.js";
import { HeatLine } from "./heat_line.js";
import { HeatPicture } from "./heat_picture.js";
import { heatSearch } from "./heat_search.js";
import { heatTour } from "./heat_tour.js";
import { typedNumber } from "./number_field.js";
import { plans, svgNode } from "./plan.js";
import { workedOut } from "./worked_out.js";
import { withUnit } from "./units.js";

document.addEventListener("alpine:init", () => {
  const settings = JSON.parse(document.getElementById("settings").textContent);
  const stations = JSON.parse(document.getElementById("stations").textContent);
  const tools = JSON.parse(document.getElementById("tools").textContent);
  const irons = JSON.parse(document.getElementById("irons").textContent);
  const inHoles = JSON.parse(document.getElementById("in-holes").textContent);
  const names = { warm: "Preheat", close: "Close in", hold: "Hold", withdraw: "Withdraw", preheat: "From below", plate: "On the plate", oven: "In the oven" };
  const blowing = ["warm", "close", "hold"];
  const usual = {
    air: () => [{ deed: "warm", seconds: 25, height_mm: 60, circle_mm: 10 }, { deed: "close", seconds: 40, height_mm: 15, circle_mm: 4 }, { deed: "withdraw", seconds: 45 }],
    plate: () => [{ deed: "plate", seconds: 90 }, { deed: "withdraw", seconds: 60 }],
    oven: (plan) => [{ deed: "oven", seconds: Math.min(plan.oven.curve[plan.oven.curve.length - 1][0], 900) }],
  };
  const whole = (move) => ({ height_mm: 20, circle_mm: 0, circle_s: 2, path: "circle", along_deg: 0, tilt_deg: 0, tilt_to_deg: 0, over: [], awaits: [], ...move });
  const leaned = settings.moves.find((move) => blowing.includes(move.deed));
  // One touch of the iron as a row: heating, wetting and feeding on one time axis.
  // A thing as it is, without Alpine's watching: drawing reads thousands of numbers.
  const bare = (thing) => window.Alpine.raw(thing);
  const touchRow = (one, name, longest) => {
    const x = (seconds) => Math.min(240, 240 * (seconds ?? longest) / (longest + 1));
    const held = Math.round(one.tip_low_c);
    const body = `tip ${one.sags ? "sags to" : "holds"} ${withUnit(held, "°C")}, body reaches ${Math.round(one.body_peak_c)} of ${withUnit(one.limit_c, "°C")}`;
    return {
      tie: one.tie, name, wetSeconds: one.wets_s,
      seconds: one.stay_s === null ? "not" : withUnit(one.stay_s.toFixed(1), "s"),
      heats: x(one.melts_s), wets: x(one.wets_s) - x(one.melts_s), feeds: x(one.stay_s) - x(one.wets_s), wetsFrom: x(one.melts_s), feedsFrom: x(one.wets_s),
      what: one.stay_s === null ? `Not wetted within ${withUnit(longest, "s")}. Use a wider or hotter tip, or preheat the board.` : `Wetted after ${withUnit(one.wets_s.toFixed(1), "s")}; ${body}.`,
    };
  };
  const listed = (events) => events.slice(0, 6).map((event) => event.ref).join(", ") + (events.length > 6 ? ` and ${events.length - 6} more` : "");
  const few = (refs) => refs.slice(0, 3).join(", ") + (refs.length > 3 ? ` and ${refs.length - 3} more` : "");
  const fine = (value) => (value === null || value === undefined ? "never" : withUnit(Math.round(value), "s"));

  // The search's getters must stay getters, so it is joined by descriptors and not spread.
  const joined = (stage) => Object.defineProperties(stage, { ...Object.getOwnPropertyDescriptors(heatSearch()), ...Object.getOwnPropertyDescriptors(heatTour()) });
  window.Alpine.data("heat", () => joined({
    ...settings,
    tools,
    irons,
    kinds: [{ key: "air", name: "Hot air" }, { key: "plate", name: "Hot plate" }, { key: "oven", name: "Oven" }],
    leaf: "time",
    foiling: false,
    lean: leaned ? leaned.tilt_deg : 0,
    leanTo: leaned ? String(leaned.tilt_to_deg) : "0",
    along: leaned ? String(leaned.along_deg) : "0",
    curveText: settings.oven.curve.map((point) => point.join(" ")).join("\n"),
    iron: { ...irons[0].content },
    ironText: String(irons[0].id),
    ironPin: "1",
    touches: [],
    touching: "",
    touchNumber: 0,
    carry: null,
    problem: "",
    answer: null,
    outlook: null,
    weighing: false,
    usualSays: "",
    heatOn: true,
    at: 0,
    turn: 0,
    allShown: false,
    beginning: "",
    untouched: false,
    paste: "",
    usualMoves: "",
    aiming: -1,
    timer: 0,
    picture: null,
    line: null,
    plan: null,

    init() {
      [this.plan] = plans();
      this.line = new HeatLine(document.querySelector("[data-heat-line]"), (seconds) => this.show(seconds));
      this.plan.onTap((ref) => (this.foiling ? this.cover(ref) : this.aiming >= 0 ? this.aimAt(ref) : this.toggle(ref)));
      this.job = this.$root.dataset.job;
      this.large = this.$root.dataset.large === "1";
      this.untouched = this.$root.dataset.untouched === "1";
      this.paste = this.$root.dataset.paste;
      this.usualMoves = JSON.stringify(this.moves);
      this.$watch("moves", (moves) => { if (JSON.stringify(moves) !== this.usualMoves) this.untouched = false; });
      this.markTargets();
      this.drawFoil();
      this.initSearch();
      this.initTour();
      if (this.targets.length) this.rehearse();
      this.reopen();
    },

    // What the bench works with
    get otherMetal() { return this.paste !== "" && this.alloy !== this.paste; },
    get isAir() { return this.source === "air"; },
    get notAir() { return !this.isAir; },
    get isPlate() { return this.source === "plate"; },
    get isOven() { return this.source === "oven"; },
    get swings() { return this.plate.control === "thermostat"; },
    kindOn(key) { return String(this.source === key); },
    takeKind(key) {
      if (key === this.source) return;
      this.source = key;
      const own = key === "air" ? null : tools[key][0] ?? null;  // the bench's own, where it has one
      this.tool_id = own?.id ?? null;
      if (own && key === "plate") this.plate = { ...own.content };
      if (own && key === "oven") { this.oven = { ...own.content }; this.curveText = this.oven.curve.map((point) => point.join(" ")).join("\n"); }
      this.moves = usual[key](this).map(whole);
      if (key !== "air" && this.leaf === "time") this.leaf = "profile";
      if (key === "air" && this.leaf === "profile") this.leaf = "time";
      this.retarget();
      if (key !== "air" && this.some) this.takeUsual();
    },
    // A recipe to start from, worked out for these parts on this board.
    async takeUsual() {
      const turn = (this.usualTurn = (this.usualTurn ?? 0) + 1);
      const asked = JSON.stringify(this.asked());
      this.usualSays = "Working out a recipe for these parts…";
      const found = await this.call(`/api/jobs/${this.job}/usual`, this.asked());
      if (turn !== this.usualTurn) return;
      if (asked !== JSON.stringify(this.asked())) { this.usualSays = "You changed settings meanwhile; yours are kept."; return; }
      this.usualSays = found ? found.says : "";
      if (!found) return;
      this.usualMoves = JSON.stringify(found.moves);
      this.moves = found.moves;
      this.plate = { ...this.plate, ...found.plate };
      this.oven = found.oven;
      this.curveText = this.oven.curve.map((point) => point.join(" ")).join("\n");
      this.changed();
    },
    busyOf(text) { return String(text).endsWith("…") ? "busy-line" : ""; },
    get leaves() {
      const all = [["time", "Curves"], ["tour", "Tour"], ["window", "Safe window"], ["find", "Find settings"], ["profile", "Profile"], ["iron", "By iron"]];
      return all.filter(([key]) => (key === "profile" ? !this.isAir : key === "tour" ? this.isAir : key === "window" || key === "find" ? !this.isOven : true)).map(([key, name]) => ({ key, name, tab: `leaf-${key}` }));
    },
    get stageClass() { return this.leaf === "time" || this.leaf === "tour" ? "" : "reading"; },
    // Many parts stand as a number until one wants to see them.
    get fewTargets() { return this.targets.length <= 8 || this.allShown; },
    get manyTargets() { return !this.fewTargets; },
    get manyText() { return `${this.targets.length} parts`; },
    begin() { if (this.weighing) this.beginning = "Working out the times for the clock…"; },
    showAll() { this.allShown = true; },
    leafOn(key) { return String(this.leaf === key); },
    // The address keeps the tab, so that Back finds it again.
    turnTo(key) { this.leaf = key; history.replaceState(null, "", `#${key}`); this.onLeaf(key); this.drawTour(); },
    reopen() { const key = location.hash.slice(1); if (this.leaves.some((one) => one.key === key) && key !== this.leaf) this.turnTo(key); },
    get figures() {
      if (this.isPlate) return [{ value: withUnit(this.plate.set_c, "°C"), what: this.swings ? `hot plate, swings ${this.plate.band_k} K` : "plate" }, { value: withUnit(this.heatEnd, "s"), what: "on it" }];
      if (this.isOven) return [{ value: withUnit(Math.max(...this.oven.curve.map((point) => point[1])), "°C"), what: "hottest air" }, { value: withUnit(Math.round(this.heatEnd), "s"), what: "in it" }];
      return [{ value: withUnit(this.air.outlet_c, "°C"), what: this.outletNote }, { value: this.byDial ? `${this.airShare} % air` : withUnit(this.air.flow_lpm, "L/min"), what: this.byDial ? `about ${withUnit(Math.round(this.air.flow_lpm), "L/min")}` : this.flowNote }, { value: this.answer?.nozzle ?? this.$root.dataset.nozzle, what: this.lean ? `nozzle, tilted ${this.lean}°` : "nozzle" }];
    },
    leaned() {
      this.moves = this.moves.map((move) => (this.blows(move) ? { ...move, tilt_deg: Number(this.lean) || 0, tilt_to_deg: Number(this.leanTo), along_deg: Number(this.along) } : move));
      this.changed();
    },
    async curved() {
      const lines = this.curveText.split("\n").map((line) => line.trim().split(/[\s;]+/).filter(Boolean)).filter((line) => line.length);
      if (lines.length < 2 || lines.some((line) => line.length !== 3)) { this.problem = "The curve needs three numbers a line: seconds, air °C, walls °C."; return; }
      let points;
      try { points = await Promise.all(lines.map((line) => Promise.all(line.map((text) => typedNumber("curve", text))))); } catch (problem) { this.problem = `The curve needs three numbers a line: seconds, air °C, walls °C (${problem.message}).`; return; }
      this.oven.curve = points;
      this.moves = usual.oven(this).map(whole);
      this.changed();
    },
    get toolText() { return this.tool_id === null ? "" : String(this.tool_id); },
    set toolText(text) { this.tool_id = text === "" ? null : Number(text); },
    takeTool() {
      const tool = [...tools.plate, ...tools.oven].find((one) => one.id === this.tool_id);
      if (tool && this.isPlate) { this.plate = { ...tool.content }; if (this.some) this.takeUsual(); }
      if (tool && this.isOven) { this.oven = { ...tool.content }; this.curveText = this.oven.curve.map((point) => point.join(" ")).join("\n"); this.moves = usual.oven(this).map(whole); }
      this.changed();
    },
    get belowText() { return this.preheater === null ? "" : String(tools.preheater.find((one) => one.content.celsius === this.preheater.celsius)?.id ?? "own"); },
    set belowText(text) { this.preheater = text === "" ? null : { ...(tools.preheater.find((one) => String(one.id) === text)?.content ?? { celsius: 150, air_w_m2k: 25, glow_share: 0 }) }; },
    get ownBelow() { return this.belowText === "own" ? `${withUnit(Math.round(this.preheater.celsius), "°C")}, ${this.preheater.air_w_m2k > 90 ? "plate" : "warm air"}` : `${withUnit(150, "°C")}, warm air`; },
    takeBelow() {
      if (this.preheater === null) this.moves = this.moves.filter((move) => move.deed !== "preheat");
      this.changed();
    },
    get faceText() { return this.plate.bare_metal ? "bare" : "dark"; },
    set faceText(text) { this.plate.bare_metal = text === "bare"; },
    get startText() { return this.plate.start_c === null ? "hot" : "cold"; },
    set startText(text) { this.plate.start_c = text === "hot" ? null : this.ambient_c; },
    get boardAlloyText() { return this.board_alloy ?? ""; },
    set boardAlloyText(text) { this.board_alloy = text || null; },
    planHigher() { this.alloy = "Sn96.5Ag3Cu0.5"; this.board_alloy = null; this.changed(); },

    // A move over parts of its own: while it is aimed, taps on the plan add and drop them.
    aimText(index) { return String(this.aiming === index); },
    aimSays(move) { return move.over.length ? move.over.slice(0, 3).join(", ") + (move.over.length > 3 ? "…" : "") : "all"; },
    takeAim(index) { this.aiming = this.aiming === index ? -1 : index; },
    get aimHint() { return this.aiming < 0 ? "" : `Tap the parts that “${this.moveName(this.moves[this.aiming])}” goes over; press its button again when done.`; },
    aimAt(ref) {
      const move = this.moves[this.aiming];
      const over = move.over.includes(ref) ? move.over.filter((one) => one !== ref) : [...move.over, ref];
      this.moves = this.moves.map((one, i) => (i === this.aiming ? { ...one, over } : one));
      if (!this.targets.includes(ref)) this.targets = [...this.targets, ref];
      this.retarget();
    },

    // Foil
    get covered() { return this.shields.length > 0; },
    get foilText() { return String(this.foiling); },
    toggleFoil() { this.foiling = !this.foiling; },
    cover(ref) { this.shields = this.shields.includes(ref) ? this.shields.filter((one) => one !== ref) : [...this.shields, ref]; this.drawFoil(); this.changed(); },
    drawFoil() {
      for (const old of this.plan.svg.querySelectorAll(".foil")) old.remove();
      for (const ref of this.shields) {
        const part = this.plan.part(ref);
        if (!part) continue;
        const box = part.getBBox();
        const sheet = svgNode("rect", { class: "foil", x: box.x - 1, y: box.y - 1, width: box.width + 2, height: box.height + 2 });
        part.prepend(sheet);
      }
    },

    // The iron
    get pins() { return this.none ? [] : [...new Set(this.plan.pads(this.targets[0]).map((pad) => pad.dataset.pin))].filter(Boolean); },
    takeIron() { this.iron = { ...(irons.find((one) => String(one.id) === this.ironText) ?? irons[0]).content }; },
    async askIron() {
      const words = { "as drawn": "as this board is drawn", signal: "on a track", relief: "on a plane, by thermal relief", plane: "solid on a plane" };
      const query = { ref: this.targets[0], pin: this.ironPin, tip_mm: this.iron.tip_mm, set_c: this.iron.set_c, power_w: this.iron.power_w, shape: this.iron.shape, handle: this.iron.handle ?? "cartridge" };
      const number = (this.touchNumber += 1);
      this.problem = "";
      this.touches = [];
      for (const [tie, name] of Object.entries(words)) {
        this.touching = `${query.ref} pin ${query.pin}, ${name}…`;
        const touch = await workedOut(`/api/jobs/${this.job}/iron?${new URLSearchParams({ ...query, tie })}`).catch((problem) => problem);
        if (number !== this.touchNumber) return;
        if (touch instanceof Error) { this.problem = touch.message; break; }
        if (touch) this.touches = [...this.touches, touchRow(touch, name, Number(this.$root.dataset.longestTouch))];
      }
      this.touching = "";
    },

    // Seconds of tied pins against a pin on its own track, beside what the trade sees; told where they lie outside it.
    get tiesSay() {
      const seconds = Object.fromEntries(this.touches.map((one) => [one.tie, one.wetSeconds]));
      if (!seconds.signal || (!seconds.relief && !seconds.plane)) return "";
      const times = (tie) => (seconds[tie] ? Math.round((10 * seconds[tie]) / seconds.signal) / 10 : null);
      const [relief, plane] = [times("relief"), times("plane")];
      if ((relief === null || relief <= 4) && (plane === null || plane <= 8)) return "";
      const said = [relief && `thermal relief takes ${relief} times`, plane && `a solid plane ${plane} times`].filter(Boolean).join(", ");
      return `Here ${said} as long as on a track (commonly 2 to 4 and 3.5 to 8 times): the land is small compared with the plane, so a track takes very little.`;
    },
    get ironIdle() { return this.some && this.touching === ""; },
    get none() { return this.targets.length === 0; },
    get some() { return this.targets.length > 0; },
    get heatOnText() { return String(this.heatOn); },
    get stationText() { return this.station_id === null ? "" : String(this.station_id); },
    set stationText(text) { this.station_id = text === "" ? null : Number(text); },
    // Settings that differ from the station's own and from what is usual stand out while the settings are folded.
    get settingsShort() { return this.isAir ? `${this.station?.name ?? "own values"}, ${withUnit(this.air.outlet_c, "°C")}` : this.isPlate ? withUnit(this.plate.set_c, "°C") : "curve"; },
    get changedSay() {
      const said = [];
      const unlike = (now, own, words) => { if (own !== undefined && String(now) !== String(own)) said.push(words); };
      const own = this.station?.air ?? {};
      if (this.isAir) {
        unlike(this.air.outlet_c, own.outlet_c, `outlet ${withUnit(this.air.outlet_c, "°C")} instead of ${own.outlet_c}`);
        unlike(this.air.flow_lpm, own.flow_lpm, `air ${this.byDial ? `${this.airShare} %` : withUnit(this.air.flow_lpm, "L/min")}`);
        unlike(this.air.nozzle_mm, own.nozzle_mm, `nozzle ${withUnit(this.air.nozzle_mm, "mm")} instead of ${own.nozzle_mm}`);
        unlike(this.lean, 0, `nozzle tilt ${this.lean}°`);
        unlike(this.belowText, "", "heat from below");
        unlike(this.underside, "insulating", `board rests on ${this.underside === "metal" ? "metal" : "open air"}`);
      }
      unlike(this.boardAlloyText, "", "other solder on the other joints");
      unlike(this.core, "fr4", "aluminium board");
      return said.length ? `changed: ${said.join(", ")}` : "";
    },
    get station() { return this.station_id === null ? null : stations[this.station_id]; },
    get byDial() { return Boolean(this.station && this.station.air_share !== null); },
    get airShare() { return this.byDial ? Math.round((100 * this.air.flow_lpm) / this.station.most_lpm) : 0; },
    set airShare(share) { this.air.flow_lpm = Math.round(Math.min(Math.max(share, 1), 100) * this.station.most_lpm) / 100; },
    get guessNote() { return this.isAir && this.station?.guessed ? `Not known of ${this.station.name}: ${this.station.guessed}. The values here are guesses until a melt test calibrates it.` : ""; },
    get outletNote() { return this.station && this.station.outlet_label && this.station.air.outlet_c === this.air.outlet_c ? `outlet, your “${this.station.outlet_label}”` : "outlet"; },
    get flowNote() { return this.station && this.station.flow_label && this.station.air.flow_lpm === this.air.flow_lpm ? `air, your “${this.station.flow_label}”` : "air"; },
    get jetFactor() { return this.answer && !this.answer.empty ? this.answer.jet_factor.toFixed(2) : ""; },
    get factorSource() { return this.answer && this.answer.calibrated ? "[from your calibration]" : "[from memory]"; },
    get spent() { return [...this.ramps, ...this.remelts]; },
    get ramps() { return this.answer && !this.answer.empty ? this.answer.spent.ramps.map((one) => `${one.ref} rises by up to ${one.ramp} K/s, hot air commonly by up to ${this.answer.spent.ramp_practice} [from memory]: ${one.why}. Preheat longer, close in later. (Averaged oven profiles allow ${this.answer.spent.ramp_oven}.)`) : []; },
    get remelts() {
      if (!this.answer || this.answer.empty) return [];
      const { heats, heats_limit: limit, again } = this.answer.spent;
      return [
        ...heats.map((one) => `Heat number ${one.number} for ${one.ref}: ${limit} is the limit; use fresh flux, and heat it only once more.`),
        ...again.map((one) => `${one.ref} solidifies and melts again within this heat, ${one.times} times in all: keep the nozzle nearer to it.`),
      ];
    },
    get odds() {
      if (!this.outlook) return [];
      const kinds = { good: "good", "a neighbour comes loose": "mind", "a joint stays cold": "cold", harm: "bad" };
      return this.outlook.odds.filter((one) => one.count).map((one) => ({ fate: one.fate, kind: kinds[one.fate], share: `${one.count} of ${this.outlook.count}` }));
    },
    get oddsSay() { return this.outlook ? `${this.outlook.count} rehearsals with every uncertain value varied within its range. Hottest target joint: ${withUnit(Math.round(this.outlook.peak_c[1]), "°C")} (${Math.round(this.outlook.peak_c[0])} to ${Math.round(this.outlook.peak_c[2])}). ${this.bodySay} Bands: 8 of 10 cases.` : ""; },
    get bodySay() { return Object.entries(this.outlook.moments).slice(0, 3).map(([ref, one]) => `Body of ${ref}: ${Math.round(one.body[0])} to ${withUnit(Math.round(one.body[1]), "°C")}.`).join(" "); },
    get blames() { return this.outlook ? this.outlook.blame.filter((one) => one.share >= 0.03).map((one) => ({ name: one.name, test: one.test, share: `${Math.round(one.share * 100)} %` })) : []; },
    get sureShort() {
      if (!this.outlook || !this.outlook.blame.length) return "";
      return `mostly ${this.outlook.blame[0].name}`;
    },
    get profileIndex() {
      if (!this.answer || !this.answer.profile) return "";
      const share = this.answer.profile.index;
      return share > 200 ? `${(share / 100).toFixed(share < 1000 ? 1 : 0)} ×` : `${share} %`;
    },
    get profileSays() {
      if (!this.answer || !this.answer.profile) return "Choose a part to see its profile.";
      const said = this.answer.profile.index <= 100 ? "everything within its range; the tightest is" : "outside its range:";
      return `${this.answer.profile.index > 200 ? "what the range allows" : "of its range used"}: ${said} ${this.answer.profile.worst}.`;
    },
    get criteria() {
      if (!this.answer || !this.answer.profile) return [];
      return this.answer.profile.criteria.map((one) => {
        const low = one.low ?? 0;
        const span = (one.high - low) || 1;
        const x = (value) => Math.min(Math.max(60 + ((value - low) / span) * 120, 4), 236);
        const at = x(one.value);
        return { name: one.name, kind: one.inside ? "inside" : "outside", value: `${one.value} ${one.unit}`, from: 60, wide: 120, mark: one.inside ? `M${at},4v18` : `M${at - 6},5l12,16M${at + 6},5l-12,16`,
          window: `${one.low === null ? "at most" : `${Math.round(one.low)} to`} ${Math.round(one.high)}, ${Math.round(one.used * 100)} % used` };
      });
    },
    get warnings() { return this.answer && !this.answer.empty ? this.answer.warnings : []; },
    get cursorText() { return this.answer && !this.answer.empty ? withUnit(Math.round(this.at), "s") : ""; },
    get modelText() {
      if (!this.answer || this.answer.empty) return "";
      const e = this.answer.energy;
      return `Board in ${withUnit(this.answer.cell_mm, "mm")} cells${this.answer.pads_as_drawn ? `, ${this.answer.pads_as_drawn} pads near the heat as their copper is drawn` : ""}; ${e.in_j} J put in, energy balance closes to ${Math.abs(e.residual_j)} J; hottest spot of the board ${withUnit(this.answer.board_peak_c, "°C")}.${this.answer.quick ? " First, coarse answer; refining." : ""}`;
    },

    blows(move) { return blowing.includes(move.deed); },
    roams(move) { return this.blows(move) && move.path !== "fixed"; },
    moveName(move) {
      if (!this.isTour || !["close", "hold"].includes(move.deed)) return names[move.deed];
      return `Stop ${this.moves.filter((one) => ["close", "hold"].includes(one.deed)).indexOf(move) + 1}`;
    },
    moveLabel(move, what) { return `${this.moveName(move)}: ${what}`; },
    dropLabel(ref) { return `Drop ${ref}`; },

    toggle(ref) { this.targets = this.targets.includes(ref) ? this.targets.filter((one) => one !== ref) : [...this.targets, ref]; this.retarget(); },
    drop(ref) { this.targets = this.targets.filter((one) => one !== ref); this.retarget(); },
    retarget() {
      this.markTargets();
      // The recipe that everything starts with gives way to one for these parts, until one is chosen or changed.
      if (this.untouched && this.isAir && this.some && this.targets.length <= Number(this.$root.dataset.mostFlows)) this.takeUsual();
      else this.changed();
    },
    addWarm() { this.insert(whole({ deed: "warm", seconds: 20, height_mm: 60, circle_mm: 10 })); },
    addPreheat() { this.moves = [whole({ deed: "preheat", seconds: 90 }), ...this.moves]; this.changed(); },
    addClose() { this.insert(whole({ deed: "close", seconds: 30, height_mm: 15, circle_mm: 4 })); },
    addHold() { this.insert(whole({ deed: "hold", seconds: 5, height_mm: 15, path: "fixed" })); },
    insert(move) {
      const last = this.moves.findIndex((one) => one.deed === "withdraw");
      const place = last < 0 ? this.moves.length : last;
      this.moves = [...this.moves.slice(0, place), move, ...this.moves.slice(place)];
      this.changed();
    },
    removeMove(index) { this.moves = this.moves.filter((_, i) => i !== index); this.changed(); },
    get carryText() {
      if (!this.carry) return "";
      return this.carry.flow_lpm === null ? `${this.carry.name} is not strong enough for this` : `Same effective strength as before: ${withUnit(this.carry.outlet_c, "°C")}, ${this.byDial ? `${Math.round((100 * this.carry.flow_lpm) / this.station.most_lpm)} % air` : withUnit(this.carry.flow_lpm, "L/min")}`;
    },
    takeCarry() {
      if (this.carry.flow_lpm !== null) { this.air.outlet_c = this.carry.outlet_c; this.air.flow_lpm = this.carry.flow_lpm; this.changed(); }
      this.carry = null;
    },
    async takeStation() {
      const station = this.station;
      this.carry = station ? await this.call(`/api/jobs/${this.job}/carry/${this.station_id}`) : null;
      if (station) { this.air = { ...station.air }; this.outlet_offset_c = station.outlet_offset_c; }
      else this.outlet_offset_c = 0;
      this.changed();
    },

    markTargets() {
      for (const part of this.plan.svg.querySelectorAll(".part")) part.classList.toggle("target", this.targets.includes(part.dataset.ref));
    },
    changed() { clearTimeout(this.timer); this.timer = setTimeout(() => this.rehearse()); },

    asked() {
      const plan = Object.fromEntries(Object.keys(settings).map((key) => [key, this[key]]));
      return { ...plan, air: { ...this.air, nozzle_turn_deg: Number(this.along) } };
    },

    async rehearse() {
      const turn = ++this.turn;
      this.outlook = null;  // it belongs to the question before
      this.weighing = this.targets.length > 0;
      const asked = this.asked();
      const steps = this.large ? ["?quick=true", ""] : [""];
      const ask = (step) => this.post(`/api/jobs/${this.job}/rehearse${step}`, asked, turn);
      let asking = ask(steps[0]);
      for (let i = 0; i < steps.length; i++) {
        const answer = await asking;
        if (!answer) { if (turn === this.turn) this.weighing = false; return; }
        if (i + 1 < steps.length) asking = ask(steps[i + 1]);  // the full answer is worked out while the first is drawn
        this.take(answer);
      }
      if (this.answer.empty) { this.weighing = false; return; }
      await pause(400);
      if (turn !== this.turn) return;
      await this.weigh("", turn);
      await pause(2500);
      if (turn === this.turn) await this.weigh("?more=true", turn);
    },
    // The unknowns weighed: few samples first, more of them once nothing has been changed for a while.
    async weigh(how, turn) {
      const outlook = await ask(`/api/jobs/${this.job}/sureness${how}`).catch(() => null);
      if (turn !== this.turn) return;
      if (outlook && !outlook.changed) this.outlook = outlook;
      this.weighing = false;
    },

    async post(where, json, turn) {
      let answer;
      try {
        answer = await ask(where, { json, stays: "start it again; your settings are kept here until then" });
      } catch (problem) {
        if (turn === this.turn) this.problem = problem.message;
        return false;
      }
      if (turn !== this.turn) return false;
      this.problem = "";
      this.planChanged();
      return answer;
    },

    take(answer) {
      this.answer = answer;
      if (answer.empty) { HeatPicture.clear(this.plan); bare(this.line).svg.replaceChildren(); this.picture = null; return; }
      bare(this.line).draw(answer);
      this.drawTour();
      HeatPicture.clear(this.plan);
      this.picture = new HeatPicture(bare(this.plan), answer.frames);
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
      bare(this.line).moveTo(seconds);
      if (this.picture && this.heatOn) {
        const [picture, answer] = [bare(this.picture), bare(this.answer)];
        picture.draw(seconds, answer.liquidus_c);
        picture.pads(seconds, answer.parts);
        if (this.isAir) picture.nozzle(seconds, answer.moves, answer.nozzle_mm);
      }
    },
    toggleHeat() {
      this.heatOn = !this.heatOn;
      if (this.heatOn && this.picture) this.show(this.at); else HeatPicture.clear(this.plan);
    },

    get verdict() {
      if (this.none) return this.lifts ? "Choose a part to lift." : "Choose a part to heat.";
      if (!this.answer || this.answer.empty) return "Rehearsing…";
      if (this.untouched && this.touring) return `Planning a tour of ${this.targets.length} parts…`;
      const cold = this.targets.filter((ref) => this.answer.parts[ref]?.molten_s === null);
      if (cold.length) return cold.length > 3 ? `${cold.length} of ${this.targets.length} parts would not melt: ${few(cold)}.` : `${cold.join(", ")} would not melt.`;
      if (this.lifts && !this.isTour && this.outlook?.lift) return this.outlook.lift.sentence;
      const hot = this.targets.filter((ref) => this.answer.parts[ref]?.limit_passed_s !== null);
      const last = Math.max(...this.targets.map((ref) => this.answer.parts[ref].molten_s));
      const off = this.heatEnd;
      if (hot.length) return `${few(hot)} ${hot.length > 1 ? "melt" : "melts"} at about ${fine(last)}, but ${hot.length > 1 ? "get" : "gets"} too hot.`;
      if (this.lifts && !this.isTour) return `All molten at about ${fine(last)}.`;
      const cooked = this.cooked;
      if (cooked.length) return `All molten at about ${fine(last)}${this.band(last)}, but ${few(cooked)} would get too hot.`;
      if (this.isTour) return this.planSays;
      const stop = this.outlook?.stop;
      if (stop && stop.at_s <= last) return `Melts at about ${fine(last)}${this.band(last)}, but ${this.isAir ? "strong air" : this.isPlate ? "a plate with good contact" : "a hot oven"} would be too much from ${fine(stop.at_s)} on: watch for the shine, or calibrate the ${this.isAir ? "station" : "bench"} first.`;
      if (stop && stop.at_s < off) return `All molten at about ${fine(last)}${this.band(last)}; take the heat away before ${fine(stop.at_s)}.`;
      return this.isOven ? `All molten at about ${fine(last)}${this.band(last)}.` : `All molten at about ${fine(last)}${this.band(last)}; heat away at ${fine(off)}.`;
    },
    get heldInHoles() { return this.targets.map((ref) => inHoles[ref]).filter(Boolean); },
    // A heat that takes parts off: what comes last, who comes along, what to cover.
    get lifts() { return this.goal === "lift"; },
    get liftShown() { return this.lifts && Boolean(this.outlook?.lift) && !this.none; },
    get liftLast() { const last = this.outlook?.lift?.last; return last ? `Wait for pin ${last.pin} of ${last.ref}: ${last.why}.` : ""; },
    get liftAlong() {
      const along = this.outlook?.along ?? [];
      const later = this.loosened.filter((event) => !along.some((one) => one.ref === event.ref));
      const then = later.length ? ` Loose from ${fine(later[0].at_s)} on: ${listed(later)}. Do not knock or blow them.` : "";
      if (!along.length) return `No neighbour is molten yet when you can lift it.${then}`;
      return `Molten at the same time: ${along.slice(0, 5).map((one) => `${one.ref} (${Math.round(100 * one.share)} %${one.falls ? ", falls" : ""})`).join(", ")}${along.length > 5 ? ` and ${along.length - 5} more` : ""}.${then}`;
    },
    get loosened() { return this.answer && !this.answer.empty ? this.answer.events.filter((event) => event.kind === "neighbour loose") : []; },
    get liftHow() { return this.outlook?.lift ? `If a nudge springs back, all joints are molten. Lift with tweezers or vacuum, with the heat on, never with force.${this.isAir ? ` Supports under the board ${withUnit(this.outlook.support_mm, "mm")} apart at most.` : ""}` : ""; },
    // A lift whose stop comes before its flow is run only by who has read that.
    get refused() { return this.liftShown && Boolean(this.outlook.lift.refused); },
    // Where these moves leave parts cold and a tour is ready, the tour is the one thing to do.
    get staysCold() { return !this.none && Boolean(this.answer?.parts) && this.targets.some((ref) => this.answer.parts[ref]?.molten_s === null); },
    get offersTour() { return this.tourReady && this.staysCold && !this.isTour; },
    get tourOffer() { return this.offersTour ? `Use the tour of ${this.proposed.stops.length} stops` : ""; },
    get againstIt() { return this.refused || this.offersTour; },
    get runClass() { return { act: !this.againstIt, "act-quiet": this.againstIt }; },
    get runText() { return this.againstIt ? "Run it anyway" : "Run it at the bench"; },
    get harvestText() { return this.outlook?.harvest ?? ""; },
    get liftCovers() { return this.isAir && (this.outlook?.lift?.cover ?? []).some((ref) => !this.shields.includes(ref)); },
    get coverText() { return `Cover ${(this.outlook?.lift?.cover ?? []).join(", ")}`; },
    coverThem() { this.shields = [...new Set([...this.shields, ...this.outlook.lift.cover])]; this.drawFoil(); this.changed(); },
    get cooked() { return Object.entries(this.answer.parts).filter(([, fate]) => fate.limit_passed_s !== null).map(([ref]) => ref); },
    get heatEnd() { return this.moves.filter((move) => move.deed !== "withdraw").reduce((sum, move) => sum + Number(move.seconds), 0); },
    // What the last board of the same heat showed, as the bench's clock will begin.
    get taughtText() { return this.outlook?.taught ? `${this.outlook.taught}.` : ""; },
    get looseText() {
      const loose = this.loosened;
      if (!loose.length || this.liftShown) return "";
      const band = this.outlook && this.outlook.loose[0] !== null ? ` (${Math.round(this.outlook.loose[0])} to ${fine(this.outlook.loose[1])})` : "";
      return `Loose from ${fine(loose[0].at_s)}${band} on: ${listed(loose)}. Do not knock or blow them.`;
    },
    // When the last of all parts has flowed, from when to when.
    band() {
      const [early, late] = this.outlook?.lasts["all molten"] ?? [null, null];
      return early === null ? "" : ` (${Math.round(early)} to ${late === null ? "later than the recipe" : fine(late)})`;
    },
    get verdictClass() {
      if (!this.answer || this.answer.empty || this.none || (this.untouched && this.touring)) return "";
      if (this.lifts && !this.isTour && this.outlook?.lift) return this.refused ? "bad" : this.outlook.lift.safe ? "good" : "";
      const bad = this.cooked.length > 0 || this.targets.some((ref) => this.answer.parts[ref]?.molten_s === null);
      if (bad) return "bad";
      return this.allowed ? "good" : "";
    },
    // Good only where the band allows it: all of it flows before the heat goes away, and that comes before the cautious stop.
    get allowed() {
      if (!this.outlook) return false;
      if (this.isTour) return !this.outlook.stop;
      const late = this.outlook.lasts["all molten"][1];
      const stop = this.outlook.stop;
      return late !== null && late <= this.heatEnd && (!stop || stop.at_s >= this.heatEnd);
    },
    get cues() {
      if (!this.answer || this.answer.empty) return [];
      const kinds = { "all molten": "live", "first melt": "live", "limit passed": "bad", "stays cold": "bad", falls: "bad", "flux spent": "bad", "pushed by the air": "bad" };
      const told = this.answer.told.filter((event) => !this.isTour || !["flux turns clear", "first melt", "all molten", "frozen"].includes(event.kind)).filter((event) => !this.lifts || event.kind !== "frozen"); // a part that is lifted liquid does not freeze on the board
      const stops = this.isTour ? this.planRows.map((row, i) => ({ key: `stop${i}`, when: fine(this.answer.stops[i].began_s), what: `stop ${row.number}, ${row.seconds}${row.band ? ` (${row.band})` : ""}: ${row.watch || row.names}`, kind: "live", at: this.answer.stops[i].began_s })) : [];
      const rest = told
        .filter((event) => !event.kind.startsWith("neighbour") && (event.kind !== "may tombstone" || this.answer.parts[event.ref]?.target))
        .map((event, i) => ({ key: `${i}${event.ref}`, when: fine(event.at_s), what: event.sentence + this.cueBand(event), kind: kinds[event.kind] ?? "", at: event.at_s }));
      return [...stops, ...rest].sort((a, b) => a.at - b.at);
    },
    cueBand(event) {
      const band = (event.last ? this.outlook?.lasts : this.outlook?.moments[event.ref])?.[event.kind];
      return band && band[0] !== null ? ` (${Math.round(band[0])} to ${fine(band[1])})` : "";
    },
    get stopText() {
      if (!this.outlook) return "";
      const stop = this.outlook.stop;
      if (!stop && this.lifts) return "If you go by the nudge, no damage in 9 of 10 cases.";
      if (!stop) return this.isTour ? "No damage predicted in 9 of 10 cases if you leave each stop when it has melted." : "No damage predicted even 90 s later.";
      return `Stop by ${fine(stop.at_s)}:`;
    },
    get stopWhy() {
      if (!this.outlook || !this.outlook.stop) return "";
      const { stop, middle } = this.outlook;
      const later = middle && middle.at_s > stop.at_s + 2 ? ` That is for ${this.isAir ? "strong air" : this.isPlate ? "a plate with good contact" : "a hot oven"}; in the usual case ${fine(middle.at_s)}.` : "";
      return `${stop.why}.${later}`;
    },
  }));
});
