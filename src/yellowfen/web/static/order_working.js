// A large board is ordered by the worker while the page shows how far it is.
"use strict";

document.addEventListener("DOMContentLoaded", () => {
  const box = document.querySelector("[data-working]");
  const bar = box.querySelector("progress");
  const words = box.querySelector("[role=status]");
  const begun = words.textContent;
  let task = null;
  const look = async () => {
    let wait = 300;
    try {
      const where = task === null ? `${box.dataset.working}/order?side=${box.dataset.side}` : `/api/tasks/${task}/order`;
      const reply = await fetch(where, { method: task === null ? "POST" : "GET", headers: { accept: "application/json" } });
      const { id, done, of, state, said, problem } = await reply.json();
      task = id ?? task;
      if (state === "done") { location.reload(); return; }
      if (of) bar.value = done / of;
      words.textContent = problem ?? (said || begun);
      if (["failed", "cancelled"].includes(state) || problem) return;
    } catch {
      words.textContent = "The server does not answer. This goes on when it is back.";
      wait = 1500;
    }
    setTimeout(look, wait);
  };
  look();
});
