// The kit check: line by line, one key for there, one for missing, one back; each answer is on disk before the next counts.
"use strict";

document.addEventListener("alpine:init", () => {
  const first = JSON.parse(document.getElementById("state").textContent);

  window.Alpine.data("kit", () => ({
    lines: first.lines,
    done: [],
    problem: "",

    init() {
      window.addEventListener("keydown", (event) => {
        if (event.repeat) return;
        if ([" ", "PageDown", "Enter"].includes(event.key)) { event.preventDefault(); this.go(); }
        else if (["Backspace", "PageUp"].includes(event.key)) { event.preventDefault(); this.undo(); }
        else if (event.key === "m") { event.preventDefault(); this.missing(); }
      });
    },
    get line() { return this.lines.find((one) => one.found === "") ?? null; },
    get over() { return this.line === null; },
    get fresh() { return this.done.length === 0; },
    get answered() { return this.lines.filter((one) => one.found !== "").length; },
    get doneWidth() { return String((1000 * this.answered) / Math.max(this.lines.length, 1)); },
    get count() { return this.over ? "✓" : String(this.line.take); },
    get now() {
      const gone = this.lines.filter((one) => one.found === "missing").map((one) => one.value);
      return this.over ? (gone.length ? `Missing: ${gone.join(", ")}` : "Everything is there.") : this.line.value;
    },
    get what() { return this.over ? "" : `${this.line.package}; ${this.line.refs}${this.line.spares ? `; ${this.line.spares} of them spare` : ""}`; },
    get where() { return this.over || !this.line.where ? "" : `in ${this.line.where}`; },
    get keyText() { return this.over ? "All answered" : "It is there"; },
    get keyHint() { return this.over ? "" : "Space, Page Down or pedal"; },
    get stored() { return `${this.answered} of ${this.lines.length} answered and stored`; },

    async keep(line, found) {
      const before = line.found;
      line.found = found;
      this.problem = "";
      try {
        const body = new URLSearchParams({ line: line.key, found });
        const reply = await fetch(`/jobs/${first.job}/ready/kit`, { method: "POST", body, headers: { accept: "application/json" } });
        if (!reply.ok) throw new Error("refused");
        return true;
      } catch {
        line.found = before;
        this.problem = "That was not stored: the server does not answer. Press again.";
        return false;
      }
    },
    // One press after the other: a press waits until the one before is stored.
    inTurn(deed) { this.turn = (this.turn ?? Promise.resolve()).then(deed); },
    answer(found) {
      this.inTurn(async () => {
        const line = this.line;
        if (line && (await this.keep(line, found))) this.done = [...this.done, line];
      });
    },
    go() { this.answer("there"); },
    missing() { this.answer("missing"); },
    undo() {
      this.inTurn(async () => {
        const line = this.done[this.done.length - 1];
        if (line && (await this.keep(line, ""))) this.done = this.done.slice(0, -1);
      });
    },
  }));
});
