// Mend: how long to touch each bad joint, one after the other, as it is worked out.
import { workedOut } from "./worked_out.js";

document.addEventListener("DOMContentLoaded", async () => {
  for (const line of document.querySelectorAll("[data-touches]")) {
    try {
      line.textContent = (await workedOut(line.dataset.touches))?.says ?? "";
    } catch (problem) {
      line.textContent = problem.message;
    }
    line.classList.remove("busy-line");
    line.hidden = !line.textContent;
  }
});
