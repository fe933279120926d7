// A form that was refused keeps all that was typed and chosen: what was sent is remembered until its page is there again.
const KEY = "yellowfen-sent";

const fieldsOf = (form) => [...form.elements].filter((one) => one.name && !["file", "submit", "button", "password"].includes(one.type));
const fixed = (form) => [...form.querySelectorAll("input[type=hidden]:not([data-pads], [name=once])")].map((one) => `${one.name}=${one.value}`).join("&");
const path = (form) => new URL(form.getAttribute("action") ?? "", location.href).pathname;

// A choice that has several fields of one name (ticks, radios, rows) is told by its place among them.
const written = (form) => {
  const counts = {};
  return fieldsOf(form).map((one) => {
    counts[one.name] = (counts[one.name] ?? -1) + 1;
    return [one.name, counts[one.name], ["checkbox", "radio"].includes(one.type) ? one.checked : one.value];
  });
};
const writeAgain = (form, fields) => {
  for (const [name, place, value] of fields) {
    const field = fieldsOf(form).filter((one) => one.name === name)[place];
    if (!field || (field.type === "hidden" && !field.matches("[data-pads]"))) continue;
    const before = typeof value === "boolean" ? field.checked : field.value;
    if (before === value) continue;
    if (typeof value === "boolean") field.checked = value; else field.value = value;
    if (!form.matches("[data-send-on-change]")) for (const kind of ["input", "change"]) field.dispatchEvent(new Event(kind, { bubbles: true }));
  }
  for (let around = form; around; around = around.parentElement) if (around.matches("details")) around.open = true;
  form.dispatchEvent(new Event("typed-again"));
};

document.addEventListener("submit", (event) => {
  const form = event.target;
  if (form.getAttribute("method") !== "post" || event.defaultPrevented) return;
  sessionStorage.setItem(KEY, JSON.stringify({ page: location.pathname + location.search, action: path(form), fixed: fixed(form), fields: written(form) }));
});

document.addEventListener("DOMContentLoaded", () => {
  const sent = JSON.parse(sessionStorage.getItem(KEY) ?? "null");
  if (!sent) return;
  const back = document.querySelector("[data-back-to-form]");
  if (back) {
    back.href = sent.page;
    back.textContent = "Back to where you were";
    sessionStorage.setItem(KEY, JSON.stringify({ ...sent, refused: true }));
    return;
  }
  sessionStorage.removeItem(KEY);
  if (!sent.refused && !document.querySelector("[data-refused]")) return;
  const form = [...document.forms].find((one) => one.getAttribute("method") === "post" && path(one) === sent.action && fixed(one) === sent.fixed);
  if (form) setTimeout(() => writeAgain(form, sent.fields));  // after the page's own scripts have begun
});
