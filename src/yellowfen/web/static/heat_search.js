// The Heat stage's long work: the safe window's map and the search for settings. Asked here, done in the worker, seen as far as it is.
import { ask, pause } from "./ask.js";
import { WindowMap } from "./window_map.js";
import { withUnit } from "./units.js";

export const heatSearch = () => ({
  task: null,
  axis: "",
  map: null,
  stale: false,
  search: null,
  freeAlloy: false,
  watching: { window: 0, settings: 0, tour: 0 },

  initSearch() {
    this.windowMap = new WindowMap(document.querySelector("[data-window-map]"), (setting, dwell) => this.takePoint(setting, dwell));
    this.look("window");
    this.look("settings");
  },
  get axes() {
    return this.source === "plate" ? [{ key: "set_c", name: "plate °C" }] : [{ key: "outlet_c", name: "air °C" }, { key: "height_mm", name: "distance" }, { key: "flow_lpm", name: "air flow" }];
  },
  axisOn(key) { return String(this.axis === key); },
  onLeaf(key) {
    if (key === "window" && this.targets.length && (!this.map || this.stale)) this.askWindow(this.axes.some((one) => one.key === this.axis) ? this.axis : this.axes[0].key);
  },
  planChanged() {
    this.stale = true;
    if (this.tourTask !== null && this.tourTask.whole && !this.touring) this.look("tour");
    if (this.leaf === "window") this.onLeaf("window");
  },

  // The answer, or null with its problem said.
  async call(where, json) {
    try { return await ask(where, { json }); } catch (problem) { this.problem = problem.message; return null; }
  },
  async askWindow(axis) {
    this.axis = axis;
    this.stale = false;
    const answer = await this.call(`/api/jobs/${this.job}/tasks`, { kind: "window", axis });
    if (answer) { this.show_task("window", answer); this.look("window"); }
  },
  async askSettings() {
    const answer = await this.call(`/api/jobs/${this.job}/tasks`, { kind: "settings", free_alloy: this.freeAlloy });
    if (answer) { this.show_task("settings", answer); this.look("settings"); }
  },
  async look(kind) {
    const turn = ++this.watching[kind];
    for (;;) {
      const answer = await this.call(`/api/jobs/${this.job}/tasks/${kind}`);
      if (!answer || turn !== this.watching[kind]) return;
      if (answer.state === "none") return;
      this.show_task(kind, answer);
      if (!["waiting", "working"].includes(answer.state)) return;
      await pause(350);
      if (turn !== this.watching[kind]) return;
    }
  },
  show_task(kind, answer) {
    if (kind === "settings") { this.search = answer; return; }
    if (kind === "tour") { this.tourTask = answer; this.drawTour(); return; }
    this.task = answer;
    this.map = answer.map;
    this.axis = answer.map.axis;
    this.windowMap.draw(answer.map);
  },

  get calm() { return this.map && this.map.calmest && this.map.calmest.calm && !this.stale; },
  get windowState() {
    if (!this.task) return "";
    if (this.task.state === "failed") return this.task.said;
    return ["waiting", "working"].includes(this.task.state) ? this.task.steps < this.map.settings.length ? `${this.task.steps} of ${this.map.settings.length} columns` : "checked on the fine grid" : "";
  },
  get windowSays() {
    if (!this.map) return "Choose a part, then what to vary.";
    if (!this.map.calmest) return this.task.state === "done" ? "No safe setting in this map. Try Find settings." : "Working…";
    const best = this.map.calmest;
    const word = WindowMap.AXES[this.map.axis];
    if (!best.calm) return `No setting with enough margin. The best is ${word.name} ${word.say(best.setting)} for ${withUnit(Math.round(best.dwell_s), "s")}, margin ${best.sigmas.toFixed(1)}; then ${best.binds}. What helps: one melt test on scrap, or Find settings.`;
    const loose = best.spills ? " A neighbour is loose there: do not knock." : "";
    return `Most margin: ${word.name} ${word.say(best.setting)} for ${withUnit(Math.round(best.dwell_s), "s")}. Margin ${best.sigmas.toFixed(1)}; then ${best.binds}.${loose}`;
  },
  async takePoint(setting, dwell) {
    if (this.stale || !this.task) return;
    if (await this.call(`/api/tasks/${this.task.id}/take`, { setting, dwell_s: dwell })) window.location.reload();
  },
  takeCalm() { this.takePoint(this.map.calmest.setting, this.map.calmest.dwell_s); },

  get searching() { return this.search !== null && ["waiting", "working"].includes(this.search.state); },
  get searchState() {
    if (!this.search) return "Tries distances, preheating, other nozzles, shields, heat from below.";
    if (this.searching) return this.search.steps ? `${this.search.steps} settings tried` : "starting";
    return this.search.state === "cancelled" ? `stopped after ${this.search.steps} settings` : this.search.said;
  },
  get found() { return this.search ? this.search.sentence : ""; },
  get relaxes() { return this.search ? this.search.relaxes : ""; },
  get ways() {
    if (!this.search) return [];
    return this.search.proposals.map((one) => {
      const best = one.best;
      const unit = this.source === "plate" || one.key === "plate" ? "plate" : "air";
      return {
        key: one.key, name: one.change, safe: best !== null, width: best ? Math.min(best.sigmas, 4) * 50 : 0, kind: best && best.spills ? "loose" : "calm",
        what: best ? `${unit} ${withUnit(Math.round(best.setting), "°C")}, ${withUnit(Math.round(best.dwell_s), "s")}: margin ${best.sigmas.toFixed(1)}${best.spills ? ", a neighbour loose" : ""}; then ${one.blocker}` : `nothing safe: ${one.blocker}`,
      };
    });
  },
  async giveUp() { if (this.search) this.show_task("settings", (await this.call(`/api/tasks/${this.search.id}/cancel`, {})) ?? this.search); },
  // What was taken is seen in the curves.
  async takeWay(key) {
    if (!(await this.call(`/api/tasks/${this.search.id}/take`, { key }))) return;
    history.replaceState(null, "", location.pathname + location.search);
    window.location.reload();
  },
});
