// The ways off are weighed by the worker; the page shows each as it is found.
"use strict";

document.addEventListener("DOMContentLoaded", () => {
  window.plans();
  const box = document.querySelector("[data-ways]");
  const of = encodeURIComponent(box.dataset.of);
  const ask = async (where, method) => {
    const reply = await fetch(`${box.dataset.ways}/${where}?of=${of}`, { method, headers: { accept: "text/html" } });
    if (!reply.ok) return "failed";
    box.innerHTML = await reply.text();
    return box.querySelector("[data-state]").dataset.state;
  };
  const wait = async (state) => {
    while (state === "waiting" || state === "working") {
      await new Promise((resolve) => setTimeout(resolve, 300));
      state = await ask("ways", "GET");
    }
    document.body.dataset.weighed = state;
  };
  const state = box.querySelector("[data-state]").dataset.state;
  if (state === "none") ask("weigh", "POST").then(wait);
  else wait(state);
});
