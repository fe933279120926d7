// A problem that names a field by its key says the field's own label instead, at the field too, and leads there.
import { tellAtField } from "./number_field.js";

document.addEventListener("DOMContentLoaded", () => {
  for (const told of document.querySelectorAll(".problem")) {
    const key = document.body.dataset.problemField;
    const said = told.textContent.trim().replace(/^[^:]*: /s, "");
    if (!key) continue;
    const named = [...document.querySelectorAll(`main form [name="${CSS.escape(key.split(".").pop())}"]:not([type=hidden])`)];
    const sent = named.filter((one) => new URL(one.form.action).pathname === location.pathname);
    const field = sent.find((one) => !one.value) ?? sent[0] ?? named[0];
    const label = field?.closest("label")?.querySelector("span")?.cloneNode(true);
    if (!label) continue;
    for (const hint of label.querySelectorAll("i")) hint.remove();
    told.textContent = `${label.textContent.trim().replace(/[?;].*$/s, "").replace(/[\s,:]+$/, "")}: ${said}`;
    tellAtField(field, said);
    const beside = field.nextElementSibling;
    beside.id = `wrong-${field.name}`;
    field.setAttribute("aria-describedby", beside.id);
    field.closest("details")?.setAttribute("open", "");
    field.focus({ preventScroll: true });
    field.scrollIntoView({ block: "center" });
  }
});
