// Taps at the bench: kept on the device until the server says they are on disk; one key goes on, one takes back.
"use strict";

// Adds the shared behaviour to a stage's own object, which brings `taps`, `go()` and `show()`.
window.withTaps = ({ api, shelf }, own) => {
  const shared = {
    problem: "",
    voice: false,
    said: "",
    busy: false,
    waiting: [],
    regret: "",

    get pending() { return this.waiting.filter((one) => one.key !== this.regret && !this.taps.some((tap) => tap.key === one.key)); },
    get fresh() { return this.taps.length + this.pending.length === 0; },
    get voiceText() { return String(this.voice); },

    // `more` maps further keys to what they do.
    beginTaps(more = {}) {
      this.waiting = JSON.parse(localStorage.getItem(shelf) ?? "[]");
      window.addEventListener("keydown", (event) => {
        if (event.repeat || event.ctrlKey || event.altKey || event.metaKey) return;
        if ([" ", "PageDown", "Enter"].includes(event.key)) { event.preventDefault(); this.go(); }
        else if (["Backspace", "PageUp"].includes(event.key)) { event.preventDefault(); this.undo(); }
        else if (more[event.key]) { event.preventDefault(); more[event.key](); }
      });
      this.show();
      this.send();
    },
    say(cue) {
      if (this.voice && cue !== this.said && "speechSynthesis" in window) window.speechSynthesis.speak(new SpeechSynthesisUtterance(cue));
      this.said = cue;
    },
    toggleVoice() { this.voice = !this.voice; this.said = ""; this.show(); },

    add(tap) {
      this.waiting = [...this.waiting, { key: crypto.randomUUID(), at_ms: Date.now(), ...tap }];
      this.shelve();
      this.show();
      this.send();
    },
    take(answer) { this.taps = answer.taps; },
    shelve() { localStorage.setItem(shelf, JSON.stringify(this.waiting)); },

    async send() {
      if (this.busy) return;
      this.busy = true;
      while (this.waiting.length) {
        const tap = this.waiting[0];
        try {
          const reply = await fetch(api, { method: "POST", body: JSON.stringify(tap), headers: { "content-type": "application/json", accept: "application/json" } });
          const answer = await reply.json();
          if (reply.ok) { this.take(answer); this.problem = ""; } else this.problem = answer.problem;
          this.waiting = this.waiting.slice(1);
          this.shelve();
          if (this.regret === tap.key) await this.takeBack(tap.key);
        } catch {
          this.problem = "The server does not answer. What is done is kept on this device and sent when it is back.";
          await new Promise((resolve) => setTimeout(resolve, 1000));
        }
      }
      this.busy = false;
      this.show();
    },

    // A tap on its way is taken back when it has arrived; one not yet sent is dropped.
    undo() {
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
        const reply = await fetch(`${api}/${key}`, { method: "DELETE", headers: { accept: "application/json" } });
        const answer = await reply.json();
        if (reply.ok) { this.take(answer); this.problem = ""; } else this.problem = answer.problem;
      } catch {
        this.problem = "The server does not answer; nothing was taken back.";
      }
      if (this.regret === key) this.regret = "";
      this.show();
    },
  };
  const all = Object.getOwnPropertyDescriptors(shared);
  for (const name of Object.getOwnPropertyNames(own)) delete all[name];
  return Object.defineProperties(own, all);
};
