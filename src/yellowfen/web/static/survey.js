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
  // A press that the server never heard of is made again when it is back.
  const wait = async (state) => {
    while (["none", "waiting", "working"].includes(state)) {
      const next = state === "none" ? look("weigh", "POST") : look("ways", "GET");
      [state] = await Promise.all([next, pause(300)]);
    }
    document.body.dataset.weighed = state;
  };
  wait(box.querySelector("[data-state]").dataset.state);
});
