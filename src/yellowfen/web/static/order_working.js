// A large board is ordered while the page shows how far it is.
"use strict";

document.addEventListener("DOMContentLoaded", async () => {
  const box = document.querySelector("[data-working]");
  const bar = box.querySelector("progress");
  const words = box.querySelector("[role=status]");
  const ask = async (what) => (await fetch(`${box.dataset.working}/${what}?side=${box.dataset.side}`, { headers: { accept: "application/json" } })).json();
  const timer = setInterval(async () => {
    const { done, of } = await ask("progress");
    if (of) bar.value = done / of;
  }, 250);
  try {
    await ask("order");
    clearInterval(timer);
    location.reload();
  } catch {
    clearInterval(timer);
    words.textContent = "The server does not answer. Load this page again.";
  }
});
