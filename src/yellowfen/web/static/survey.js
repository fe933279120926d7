// The ways off are weighed by the worker; the page shows each as it is found.
import { Refused, ask, pause } from "./ask.js";
import { plans } from "./plan.js";

document.addEventListener("DOMContentLoaded", () => {
  plans();
  const box = document.querySelector("[data-ways]");
  const of = encodeURIComponent(box.dataset.of);
  const look = async (where, method) => {
    try {
      box.innerHTML = await ask(`${box.dataset.ways}/${where}?of=${of}`, { method, as: "html" });
    } catch (problem) { return problem instanceof Refused ? "failed" : "waiting"; }
    return box.querySelector("[data-state]").dataset.state;
  };
  const wait = async (state) => {
    while (state === "waiting" || state === "working") {
      await pause(300);
      state = await look("ways", "GET");
    }
    document.body.dataset.weighed = state;
  };
  const state = box.querySelector("[data-state]").dataset.state;
  if (state === "none") look("weigh", "POST").then(wait);
  else wait(state);
});
