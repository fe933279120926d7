// A look at the bench: any joint may be chosen on the plan; what else a joint is shown with.
import { paintMarks } from "./look.js";
import { drawInset, plans } from "./plan.js";
import { withUnit } from "./units.js";

export const withJoints = (own) => {
  const look = {
    loupe: localStorage.getItem("loupe") ?? "10",
    other: "",

    beginRun(more) {
      this.other = document.querySelector("select[aria-label='Something else'] option")?.value ?? "";
      for (const plan of plans()) plan.onTap((ref, pin) => this.choose(this.joints[`${ref}.${pin ?? ""}`]), { through: true });
      this.beginTaps(more);
    },
    // From the joint that was tapped on the plan the look goes on along the order, as the server does.
    choose(joint) {
      if (!joint) return;
      const all = Object.values(this.joints);
      const from = all.indexOf(joint);
      const open = new Set(this.open);
      this.cues = [joint, ...[...all.slice(from + 1), ...all.slice(0, from)].filter((one) => open.has(one.key))];
      this.show();
    },

    get joint() { return this.cue ? this.joints[this.cue.key] : null; },
    get marks() {
      const told = this.pending.map((tap) => [tap.cue, tap.word]).filter(([, word]) => !["row good", "part good", "rest good", "not yet"].includes(word));
      return { ...this.before, ...this.words, ...Object.fromEntries(told) };
    },
    get answeredHere() { return Boolean(this.cue && this.words[this.cue.key]); },
    get foundText() { const mark = this.cue && this.marks[this.cue.key]; return mark ? `Marked already: ${mark}` : ""; },
    get markedBefore() { return Boolean(this.cue && this.before[this.cue.key] && !this.words[this.cue.key]); },
    get pinHere() { return this.cue?.pin ?? ""; },
    get nowhere() { return this.cue === null; },
    get unseen() { return !this.joint?.wide_mm; },
    get beside() { return this.joint?.beside ?? []; },
    get size() { return this.joint?.wide_mm ? `${withUnit(this.joint.wide_mm.toFixed(2), "mm")} wide: as ${withUnit((this.joint.wide_mm * Number(this.loupe)).toFixed(1), "mm")} under it.` : ""; },
    get picture() { return this.joint?.picture ? `/pictures/${this.joint.picture}?do=part&ref=${encodeURIComponent(this.joint.refs[0])}` : ""; },
    keepLoupe() { localStorage.setItem("loupe", this.loupe); },
    bridgeWith(pin) { if (this.cue) this.add({ cue: this.cue.key, word: "bridge", text: pin, said: `bridge with pin ${pin}`, at_ms: Math.round(Date.now() + this.offset) }); },
    sayOther() { this.answer(this.other); },
    restGood() { const [here] = this.open; if (here) this.note(here, "rest good", "the rest is good"); },

    draw() {
      const { joint, marks } = this;
      for (const one of document.querySelectorAll("[data-good]")) one.hidden = Number(one.dataset.good) !== joint?.good;
      this.turnTo(joint?.refs[0]);
      paintMarks(this.plan, marks);
      for (const pad of this.svg.querySelectorAll(".pad.now")) pad.classList.remove("now");
      const inset = this.svg.parentNode.querySelector("[data-inset]");
      inset.toggleAttribute("hidden", !joint);
      if (!joint) { this.plan.reset(); return; }
      const [ref] = joint.refs;
      this.plan.pad(ref, joint.pin)?.classList.add("now");
      this.plan.frameOn([this.plan.part(ref), ...this.plan.pads(ref)].filter(Boolean), 2);
      const [x, y, width, height] = this.plan.box;
      drawInset(inset, this.plan, [x + width / 2, y + height / 2]);
    },
  };
  return Object.defineProperties(own, Object.getOwnPropertyDescriptors(look));
};
