// The Bench: which fields a tool needs, and the stopwatch of a melt test, worked by one key.

document.addEventListener("alpine:init", () => {
  window.Alpine.data("tool", () => ({
    kind: "plate",
    init() { this.kind = this.$root.querySelector("[name=kind]").value; },
    get isPlate() { return this.kind === "plate"; },
    get isOven() { return this.kind === "oven"; },
    get isIron() { return this.kind === "iron"; },
    get isBelow() { return this.kind === "preheater"; },
    get hasSet() { return this.kind !== "oven"; },
    get hasPower() { return this.isPlate || this.isIron; },
  }));

  window.Alpine.data("meltTest", () => ({
    seconds: "",
    began: 0,
    now: 0,
    init() {
      this.seconds = this.$root.querySelector("[name=seconds]").value; // it may have been typed before this script came
      setInterval(() => { this.now = performance.now(); }, 100);
      window.addEventListener("keydown", (event) => {
        if ((event.key === " " || event.key === "PageDown") && !["INPUT", "TEXTAREA", "SELECT", "BUTTON", "SUMMARY"].includes(event.target.tagName)) { event.preventDefault(); this.press(); }
      });
    },
    get running() { return this.began > 0; },
    get clock() { return this.running ? `${((this.now - this.began) / 1000).toFixed(1)} s` : "0.0 s"; },
    get keyText() { return this.running ? "It melts" : this.$root.dataset.kind === "plate" ? "Board on" : "Air on"; },
    press() {
      if (!this.running) { this.began = performance.now(); this.now = this.began; return; }
      this.seconds = `${this.seconds} ${((performance.now() - this.began) / 1000).toFixed(1)}`.trim();
      this.began = 0;
    },
  }));
});
