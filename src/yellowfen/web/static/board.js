// The board page: a tap on a part says what it is.
"use strict";
document.addEventListener("DOMContentLoaded", () => {
  const said = document.querySelector("[data-part-said]");
  for (const plan of window.plans()) {
    plan.onTap((ref, pin) => {
      const title = plan.part(ref)?.querySelector("title")?.textContent ?? ref;
      said.textContent = pin ? `${title}, pin ${pin}` : title;
    });
  }
  for (const form of document.querySelectorAll("form[data-sure]")) {
    form.addEventListener("submit", (event) => { if (!window.confirm(form.dataset.sure)) event.preventDefault(); });
  }
});
