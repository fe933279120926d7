// Taps at the bench: kept on the device until the server says they are on disk, or refuses them for good with a reason
// that stays on the screen; one key goes on, one takes back.
import { Refused, ask, pause } from "./ask.js";

// Adds the shared behaviour to a stage's own object, which brings `taps`, `go()` and `show()`.
export const withTaps = ({ api, shelf }, own) => {
  const shared = {
    problem: "",
    refused: [],
    voice: false,
    said: "",
    busy: false,
    waiting: [],
    regret: "",
    moved: 0,

    get pending() { return this.waiting.filter((one) => one.key !== this.regret && !this.taps.some((tap) => tap.key === one.key)); },
    get fresh() { return this.taps.length + this.pending.length === 0; },
    get voiceText() { return String(this.voice); },

    // `more` maps further keys to what they do.
    beginTaps(more = {}) {
      this.waiting = this.shelved();
      window.addEventListener("keydown", (event) => {
        if (event.repeat || event.ctrlKey || event.altKey || event.metaKey) return;
        const typed = event.target.matches?.("input[type=text]") ? event.target.value : null;  // a figure being typed keeps its keys
        if (typed !== null && (typed !== "" || event.key.length === 1) && !["PageDown", "Enter", "PageUp"].includes(event.key)) return;
        if ([" ", "PageDown", "Enter"].includes(event.key)) { event.preventDefault(); this.go(); }
        else if (["Backspace", "PageUp"].includes(event.key)) { event.preventDefault(); this.undo(); }
        else if (more[event.key]) { event.preventDefault(); more[event.key](); }
      });
      this.show();
      this.send();
      this.renew();
    },
    // What the server holds now: this page may have been made while a tap of the one before it was being stored.
    // An answer that was asked for before a tap of this page is older than the tap's own.
    async renew() {
      const before = this.moved;
      try {
        const answer = await ask(api);
        if (!this.busy && this.waiting.length === 0 && this.moved === before) { this.take(answer); this.show(); }
      } catch { /* the next tap says what is wrong */ }
    },
    say(cue) {
      if (this.voice && cue !== this.said && "speechSynthesis" in window) window.speechSynthesis.speak(new SpeechSynthesisUtterance(cue));
      this.said = cue;
    },
    toggleVoice() { this.voice = !this.voice; this.said = ""; this.show(); },

    add(tap) {
      this.moved += 1;
      this.waiting = [...this.waiting, { key: crypto.randomUUID(), at_ms: Date.now(), ...tap }];
      this.shelve();
      this.show();
      this.send();
    },
    take(answer) { this.taps = answer.taps; },
    // Without room on the device a tap still goes to the server; it only would not outlive a reload.
    shelve() { try { localStorage.setItem(shelf, JSON.stringify(this.waiting)); } catch { this.problem = "This device cannot keep taps; do not close the page before they are saved."; } },
    shelved() { try { return JSON.parse(localStorage.getItem(shelf) ?? "[]"); } catch { return []; } },
    get refusedText() { return this.refused.join(" "); },
    get hasRefused() { return this.refused.length > 0; },
    forgetRefused() { this.refused = []; },
    // Only an answer that another try could not change is a refusal.
    isFinal({ status }) { return status >= 400 && status < 500 && ![401, 403, 408, 425, 429].includes(status); },
    dropFirst() { this.waiting = this.waiting.slice(1); this.shelve(); },

    async send() {
      if (this.busy) return;
      this.busy = true;
      let amiss = false;
      while (this.waiting.length) {
        const tap = this.waiting[0];
        const { said, ...sent } = tap;
        try {
          const answer = await ask(api, { json: sent });
          // A tap that is being taken back is not shown as stored in between: the next press would answer a later cue.
          if (this.regret !== tap.key) this.take(answer);
          this.problem = "";
          this.dropFirst();
          if (this.regret === tap.key) await this.takeBack(tap.key);
        } catch (problem) {
          if (!this.isFinal(problem)) {
            await this.tryLater(problem instanceof Refused ? `The server could not save it yet (${problem.message}).` : problem.message);
            continue;
          }
          this.refused = [...this.refused, `Not counted: ${said ?? tap.cue} (${problem.message})`];
          amiss = true;
          this.dropFirst();
          if (this.regret === tap.key) this.letGo();
        }
      }
      this.busy = false;
      this.show();
      if (amiss) await this.renew();  // what was refused may have met a page that is behind
    },

    letGo() { this.regret = ""; },
    async tryLater(why) {
      this.problem = `${why} Your taps are kept on this device and sent as soon as possible.`;
      await pause(1000);
    },

    // A tap on its way is taken back when it has arrived; one not yet sent is dropped.
    undo() {
      this.moved += 1;
      if (this.fresh) return;
      const last = this.waiting[this.waiting.length - 1];
      if (last && (!this.busy || this.waiting.length > 1)) {
        this.waiting = this.waiting.slice(0, -1);
        this.shelve();
        this.show();
      } else if (last) {
        this.regret = last.key;
        this.show();
      } else this.takeBack(this.taps[this.taps.length - 1].key);
    },
    async takeBack(key) {
      try {
        this.take(await ask(`${api}/${key}`, { method: "DELETE", stays: "nothing was undone" }));
        this.problem = "";
      } catch (problem) { this.problem = problem.message; }
      if (this.regret === key) this.regret = "";
      this.show();
    },
  };
  const all = Object.getOwnPropertyDescriptors(shared);
  for (const name of Object.getOwnPropertyNames(own)) delete all[name];
  return Object.defineProperties(own, all);
};
