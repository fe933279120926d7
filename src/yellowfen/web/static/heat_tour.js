// The Heat stage's tour: planned in the worker, drawn as a path with numbered stops, told as a list.
import { drawTour } from "./plan.js";
import { withUnit } from "./units.js";

export const heatTour = () => ({
  tourTask: null,
  tourAsked: false,

  get chips() { return this.fewTargets ? this.targets : []; },
  // What this heat would cook and could go on afterwards; of what stays, something must be left to heat.
  get cookable() { return this.answer && !this.answer.empty ? this.answer.leave_off : []; },
  get canLeave() { return this.cookable.length > 0 && this.targets.some((ref) => !this.cookable.some((one) => one.ref === ref)); },
  get leaveText() {
    const refs = this.cookable.map((one) => one.ref);
    return `Leave ${refs.slice(0, 4).join(", ")}${refs.length > 4 ? ` and ${refs.length - 4} more` : ""} off, fitted afterwards`;
  },
  leaveOff() {
    const gone = this.cookable.map((one) => one.ref);
    this.absent = [...new Set([...this.absent, ...gone])];
    this.targets = this.targets.filter((ref) => !gone.includes(ref));
    this.retarget();
  },
  get putBack() { return this.absent.length > 0; },
  allOn() { this.absent = []; this.changed(); },
  stops(move) { return this.isAir && ["close", "hold"].includes(move.deed); },
  get cannotAsk() { return !this.canTour || this.touring; },
  get leftAny() { return this.leftRows.length > 0; },
  tourOrder: "",
  tourCharge: "spare the joints",
  initTour() {
    this.look("tour");
    if (this.$root.dataset.wantsTour === "1") { this.turnTo("tour"); this.askTour(); }
  },
  get canTour() { return this.isAir && this.some; },
  get isTour() { return Boolean(this.answer && !this.answer.empty && this.answer.stops.length); },
  get touring() { return this.tourTask !== null && ["waiting", "working"].includes(this.tourTask.state); },
  get tourFailed() { return this.tourTask !== null && this.tourTask.state === "failed" ? this.tourTask.said : ""; },
  // What is proposed for the plan as it stands; a plan that is a tour shows its own until another is asked for.
  get proposed() {
    const task = this.tourTask;
    return task !== null && task.tour !== null && (this.touring || task.fresh) && (this.tourAsked || !this.isTour) ? task.tour : null;
  },
  get tourReady() { return Boolean(this.proposed && this.tourTask.whole && !this.touring); },

  async askTour() {
    this.tourAsked = true;
    const answer = await this.call(`/api/jobs/${this.job}/tasks`, { kind: "tour", order: this.tourOrder, charge: this.tourCharge });
    if (answer) { this.show_task("tour", answer); this.look("tour"); }
  },
  async giveUpTour() { if (this.tourTask) this.show_task("tour", (await this.call(`/api/tasks/${this.tourTask.id}/cancel`, {})) ?? this.tourTask); },
  async takeTour() { if (await this.call(`/api/tasks/${this.tourTask.id}/take`, {})) window.location.reload(); },
  // Every part of this face that is not told to go on later; one press.
  async wholeSide() {
    const found = await this.call(`/api/jobs/${this.job}/side/${this.side}`);
    if (!found) return;
    this.targets = found.refs.filter((ref) => !this.absent.includes(ref));
    this.retarget();
  },

  minutes(seconds) { return seconds < 100 ? withUnit(Math.round(seconds), "s") : `${withUnit(Math.floor(seconds / 60), "min")} ${withUnit(String(Math.round(seconds) % 60).padStart(2, "0"), "s")}`; },
  get tourState() {
    if (this.tourFailed) return this.tourFailed;
    if (!this.touring) return "";
    const best = this.tourTask.tour;
    return best ? `so far ${best.stops.length} stops in ${this.minutes(best.total_s)}` : "gathering the parts";
  },
  said(stops, seconds, [early, late]) {
    const band = early === null || early === undefined ? "" : ` (${this.minutes(early)} to ${late === null ? "longer" : this.minutes(late)})`;
    return `${stops} stops, about ${this.minutes(seconds)}${band}. Leave each stop when everything there has melted.`;
  },
  get planSays() { return this.isTour ? this.said(this.answer.stops.length, this.heatEnd, this.outlook ? this.outlook.total_s : []) : ""; },
  get tourSays() {
    const tour = this.proposed;
    return tour && tour.total_band_s ? this.said(tour.stops.length, tour.total_s, tour.total_band_s) : this.planSays;
  },
  row(stop, i, refs, [early, late], latest, why) {
    return {
      key: i, number: i + 1, names: refs.slice(0, 8).join(", ") + (refs.length > 8 ? ` and ${refs.length - 8} more` : ""),
      seconds: withUnit(Math.round(stop.seconds), "s"), band: early === null || early === undefined ? "" : `${Math.round(early)} to ${late === null ? "longer" : withUnit(Math.round(late), "s")}`,
      height: `${withUnit(Math.round(stop.height_mm), "mm")} high`, watch: stop.watch,
      cold: stop.cold && stop.cold.length ? `${stop.cold.join(", ")} would stay solid: stay longer here` : "",
      latest: latest === null || latest === undefined ? "" : `not molten by ${withUnit(Math.round(latest), "s")}: leave it, ${why}`,
    };
  },
  // The stops as rows: those of the plan, or of what is proposed.
  get planRows() {
    if (!this.isTour) return [];
    const warm = this.moves.findIndex((move) => move.deed === "close" || move.deed === "hold");
    return this.answer.stops.map((stop, i) => {
      const stay = this.outlook ? this.outlook.stays[warm + i] : null;
      return this.row(stop, i, stop.refs, stay ? [stay.early_s, stay.late_s] : [], stay ? stay.latest_s : null, stay ? stay.latest_why : "");
    });
  },
  get stopRows() {
    if (!this.proposed || !this.tourTask.whole) return this.proposed ? [] : this.planRows;
    return this.proposed.stops.map((stop, i) => this.row(stop, i, [...stop.over, ...stop.awaits], stop.band_s, stop.latest_s, stop.latest_why));
  },
  get leftRows() { return this.proposed && this.tourTask.whole ? this.proposed.left.map((one) => ({ key: one.ref, said: `${one.ref}: ${one.why}` })) : []; },
  get laterText() { return this.absent.length ? `Fitted afterwards: ${this.absent.join(", ")}.` : ""; },

  drawTour() {
    drawTour(this.plan, this.leaf === "tour" && this.proposed ? this.proposed.stops : this.isTour ? this.answer.stops : []);
  },
});
