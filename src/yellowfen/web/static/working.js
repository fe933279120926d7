// A page that waits for the worker: how far it is, then the page itself.
import { workedOut } from "./worked_out.js";

document.addEventListener("DOMContentLoaded", async () => {
  const box = document.querySelector("[data-working]");
  const [bar, words] = [box.querySelector("progress"), box.querySelector("[role=status]")];
  const begun = words.textContent;
  const told = ({ done, of, said }) => {
    if (of) bar.value = done / of;
    words.textContent = said || begun;
  };
  try {
    await workedOut(`/api/tasks/${box.dataset.working}/progress`, { method: "GET", told });
    location.reload();
  } catch (problem) {
    words.textContent = problem.message;
    bar.hidden = true;
  }
});
