// A large import: shows the step it is at, goes to the board when it is there.
import { Refused, ask, pause } from "./ask.js";
document.addEventListener("DOMContentLoaded", async () => {
  const sheet = document.querySelector("[data-import]");
  const bar = sheet.querySelector("progress");
  if (!bar) return;
  const words = sheet.querySelector("[data-step]");
  for (;;) {
    let wait = 80;
    try {
      const one = await ask(`/api/imports/${sheet.dataset.import}`, { stays: "the reading goes on when it is back" });
      bar.max = one.of;
      bar.value = one.done;
      words.textContent = one.said || "waiting for its turn";
      if (one.state === "done") { window.location.replace(`/boards/${one.board}`); return; }
      if (one.state !== "waiting" && one.state !== "working") { window.location.reload(); return; }
    } catch (problem) {
      if (problem instanceof Refused) { window.location.reload(); return; }
      words.textContent = problem.message;
      wait = 1500;
    }
    await pause(wait);
  }
});
