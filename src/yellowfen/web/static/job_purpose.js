// What a job is for: parts are tapped on the plan or typed; both say the same.
import { plans } from "./plan.js";

document.addEventListener("alpine:init", () => {
  window.Alpine.data("purpose", () => ({
    text: "",
    kind: "build",

    init() {
      [this.plan] = plans();
      this.text = this.$root.querySelector("[name=parts]").value; // it may have been typed before this script came
      this.kind = this.$root.querySelector("[name=purpose]:checked")?.value ?? this.kind;
      this.plan.onTap((ref) => this.toggle(ref));
      this.paint();
    },
    get refs() { return [...new Set(this.text.split(/[\s,;]+/).filter(Boolean))]; },
    toggle(ref) {
      this.put(this.refs.includes(ref) ? this.refs.filter((one) => one !== ref) : [...this.refs, ref]);
      if (this.kind === "build" && this.refs.length && this.refs.length < 4) this.kind = "rework";
    },
    put(refs) { this.text = refs.join(" "); this.paint(); },
    all(event) { this.put([...new Set([...this.refs, ...event.currentTarget.dataset.all.split(" ").filter(Boolean)])]); },
    none() { this.put([]); },
    paint() {
      for (const part of this.plan.svg.querySelectorAll(".part")) part.classList.toggle("target", this.refs.includes(part.dataset.ref));
    },
  }));
});
