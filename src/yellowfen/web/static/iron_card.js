// A bench card's seconds for this board, worked out one tie at a time; without this script the link does the same in one go.
"use strict";

document.addEventListener("DOMContentLoaded", () => {
  const box = document.querySelector("[data-iron]");
  if (!box) return;
  const link = box.querySelector("a");
  const words = box.querySelector("[role=status]");
  link.addEventListener("click", async (event) => {
    event.preventDefault();
    const ties = ["signal", "relief", "plane"];
    for (const [done, tie] of ties.entries()) {
      words.textContent = `working out ${done + 1} of ${ties.length}…`;
      const reply = await fetch(`${box.dataset.iron}?tie=${tie}`, { headers: { accept: "application/json" } }).catch(() => null);
      if (!reply) { words.textContent = "The server does not answer. Try again."; return; }
    }
    location.assign(link.href);
  });
});
