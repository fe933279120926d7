// A large import: shows the step it is at, goes to the board when it is there.
import { ask } from "./ask.js";
document.addEventListener("DOMContentLoaded", () => {
  const sheet = document.querySelector("[data-import]");
  const bar = sheet.querySelector("progress");
  if (!bar) return;
  const look = async () => {
    const one = await ask(`/api/imports/${sheet.dataset.import}`).catch((problem) => ({ state: "working", said: problem.message, done: bar.value, of: bar.max }));
    bar.max = one.of;
    bar.value = one.done;
    sheet.querySelector("[data-step]").textContent = one.said || "waiting for its turn";
    if (one.state === "done") window.location.replace(`/boards/${one.board}`);
    else if (one.state === "waiting" || one.state === "working") window.setTimeout(look, 80);
    else window.location.reload();
  };
  look();
});
