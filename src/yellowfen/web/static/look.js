// Look: joint by joint with one key; a mark shows once it is stored.
"use strict";

document.addEventListener("alpine:init", () => {
  const joints = JSON.parse(document.getElementById("joints").textContent);
  const firstMarks = JSON.parse(document.getElementById("marks").textContent);
  const keyOf = (one) => `${one.ref}.${one.pin}`;

  window.Alpine.data("look", () => ({
    joints,
    marks: Object.fromEntries(firstMarks.map((mark) => [keyOf(mark), mark.verdict])),
    joined: Object.fromEntries(firstMarks.map((mark) => [keyOf(mark), mark.other])),
    loupe: localStorage.getItem("loupe") ?? "10",
    at: 0,
    problem: "",
    other: "",
    left: 0,
    harmless: [],
    pictures: JSON.parse(document.getElementById("pictures").textContent),
    plan: null,
    queue: Promise.resolve(),

    init() {
      [this.plan] = window.plans();
      this.run = this.$root.dataset.run;
      this.left = Number(this.$root.dataset.left);
      this.harmless = JSON.parse(document.getElementById("harmless").textContent);
      this.other = document.querySelector("select option")?.value ?? "";
      const open = this.joints.findIndex((joint) => !this.marks[keyOf(joint)]);
      this.at = open < 0 ? 0 : open;
      const refs = [...new Set(this.joints.map((joint) => joint.ref))];
      this.plan.frameOn(refs.flatMap((ref) => [this.plan.part(ref), ...this.plan.pads(ref)]).filter(Boolean), 3);
      for (const ref of refs) this.plan.part(ref)?.classList.add("target");
      this.plan.onTap((ref, pin) => {
        const index = this.joints.findIndex((joint) => joint.ref === ref && (pin === null || joint.pin === pin));
        if (index >= 0) { this.at = index; this.paint(); }
      });
      window.addEventListener("keydown", (event) => this.key(event));
      this.paint();
    },

    get joint() { return this.joints[this.at]; },
    get here() { return this.joint ? `${this.joint.ref}, pin ${this.joint.pin}` : "No joints"; },
    get found() {
      if (!this.joint) return "";
      const [mark, other] = [this.marks[keyOf(this.joint)], this.joined[keyOf(this.joint)]];
      return `${this.joint.kind}${mark ? `: marked ${mark}${other ? ` with pin ${other}` : ""}` : ": not marked yet"}`;
    },
    get beside() { return this.joint?.hidden ? [] : (this.joint?.beside ?? []); },
    get size() { return this.joint && !this.joint.hidden ? `${this.joint.wide_mm.toFixed(2)} mm wide: as ${(this.joint.wide_mm * Number(this.loupe)).toFixed(1)} mm under it.` : ""; },
    get picture() { const id = this.joint && this.pictures[this.joint.ref]; return id ? `/pictures/${id}?do=part&ref=${encodeURIComponent(this.joint.ref)}` : ""; },
    keepLoupe() { localStorage.setItem("loupe", this.loupe); },
    get chance() { return this.joint ? `${this.joint.chance < 0.0095 ? "under 1" : Math.round(100 * this.joint.chance)} % bad` : ""; },
    get why() { return this.joint?.why ?? ""; },
    get seen() {
      if (!this.joint) return "";
      const free = this.harmless.filter((pair) => pair.startsWith(`${this.joint.ref}.`) && pair.split(".").at(-1).split("-").includes(this.joint.pin));
      const says = this.joint.hidden ? "Cannot be seen: leave it for the meter, or for a function." : `Look ${this.joint.seen}.`;
      return free.length ? `${says} A bridge of pins ${free.map((pair) => pair.split(".").at(-1)).join(", ")} does no harm: one net.` : says;
    },
    get goodTitle() { return this.joint && this.joint.good >= 0 ? `Good at ${this.here}` : "No eye judges this joint"; },
    get leftText() {
      const done = this.joints.filter((joint) => this.marks[keyOf(joint)]).length;
      return `After these ${done} of ${this.joints.length}: about ${this.left.toFixed(this.left < 0.095 ? 2 : 1)} bad likely left.`;
    },
    get progress() { return `${this.joints.filter((joint) => this.marks[keyOf(joint)]).length} of ${this.joints.length} looked at`; },

    key(event) {
      if (event.target.matches("input, textarea, select") || event.ctrlKey || event.metaKey || event.altKey) return;
      const verdicts = [...document.querySelectorAll("[data-verdict]")].map((button) => button.dataset.verdict);
      if (event.key === " " || event.key === "PageDown") { event.preventDefault(); this.say("good"); }
      else if (event.key === "Backspace" || event.key === "PageUp") { event.preventDefault(); this.back(); }
      else if (/^[1-8]$/.test(event.key)) this.say(verdicts[Number(event.key) - 1]);
      else if (event.key === "r") this.rowGood();
      else if (event.key === "p") this.partGood();
    },

    async store(joint, verdict, other = "") {
      try {
        const reply = await fetch(`/api/runs/${this.run}/marks`, { method: "POST", body: JSON.stringify({ ref: joint.ref, pin: joint.pin, verdict, other }), headers: { "content-type": "application/json", accept: "application/json" } });
        const answer = await reply.json();
        if (!reply.ok) { this.problem = answer.problem; return false; }
        this.take(answer);
        return true;
      } catch {
        this.problem = "The server does not answer; this mark was not stored. Press again when it is back.";
        return false;
      }
    },
    // Goes on at once; what is not stored in the end is come back to.
    say(verdict, other = "") {
      const { at, joint } = this;
      const pin = other || (verdict === "bridge" ? (joint?.beside.at(-1) ?? "") : "");
      if (!joint) return Promise.resolve();
      this.at = Math.min(at + 1, this.joints.length - 1);
      this.paint();
      this.queue = this.queue.then(() => this.store(joint, verdict, pin)).then((stored) => { if (!stored) this.at = at; this.paint(); });
      return this.queue;
    },
    take(answer) {
      this.marks = Object.fromEntries(answer.marks.map((mark) => [keyOf(mark), mark.verdict]));
      this.joined = Object.fromEntries(answer.marks.map((mark) => [keyOf(mark), mark.other]));
      this.left = answer.left;
      this.problem = "";
    },
    bridgeWith(pin) { return this.say("bridge", pin); },
    sayOther() { return this.say(this.other); },
    // Several at once: only what an eye can see and what has no mark yet, as the server holds it.
    async goodOnes(joints) {
      await this.queue;
      try {
        const body = JSON.stringify({ joints });
        const reply = await fetch(`/api/runs/${this.run}/marks/good`, { method: "POST", body, headers: { "content-type": "application/json", accept: "application/json" } });
        const answer = await reply.json();
        if (!reply.ok) { this.problem = answer.problem; return; }
        this.take(answer);
        const open = this.joints.findIndex((joint) => !this.marks[keyOf(joint)] && !joint.hidden);
        if (open >= 0) this.at = open;
      } catch {
        this.problem = "The server does not answer; these marks were not stored. Press again when it is back.";
      }
      this.paint();
    },
    restGood() { return this.goodOnes([]); },
    rowGood() {
      const { joint } = this;
      return joint && !joint.hidden ? this.goodOnes(this.joints.filter((one) => one.ref === joint.ref && one.seen === joint.seen).map(keyOf)) : null;
    },
    partGood() { return this.joint ? this.goodOnes(this.joints.filter((one) => one.ref === this.joint.ref).map(keyOf)) : null; },
    back() { this.at = Math.max(this.at - 1, 0); this.paint(); },
    async clear() { if (this.joint) await this.store(this.joint, null); this.paint(); },

    paint() {
      for (const sign of this.plan.svg.querySelectorAll(".sign")) sign.remove();
      for (const one of document.querySelectorAll("[data-good]")) one.hidden = Number(one.dataset.good) !== this.joint?.good;
      for (const joint of this.joints) {
        const pad = this.plan.pad(joint.ref, joint.pin);
        if (!pad) continue;
        const verdict = this.marks[keyOf(joint)];
        pad.classList.toggle("marked-good", verdict === "good");
        pad.classList.toggle("marked-bad", Boolean(verdict) && verdict !== "good");
        pad.classList.toggle("now", joint === this.joint);
        if (verdict) this.sign(pad, verdict === "good");
      }
    },
    sign(pad, good) {
      const box = pad.getBBox();
      const size = Math.min(box.width, box.height) * 0.36;
      const x = box.x + box.width / 2;
      const y = box.y + box.height / 2;
      const d = good ? `M${x - size},${y}L${x - size * 0.3},${y - size * 0.8}L${x + size},${y + size * 0.8}` : `M${x - size},${y - size}L${x + size},${y + size}M${x - size},${y + size}L${x + size},${y - size}`;
      pad.parentNode.append(window.svgNode("path", { class: "sign", d }));
    },
  }));
});
