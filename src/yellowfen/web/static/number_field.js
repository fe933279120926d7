// Number fields: each is a text field; what is typed is read by the server's one parser, and what cannot be read is
// told at the field and kept. Also: a form is sent once, however often it is pressed.
import { Refused, ask } from "./ask.js";

const plain = /^-?\d+(\.\d+)?$/;
const nameOf = (field) => field.dataset.field ?? field.name;

// The number that a text means in a field's unit; throws the sentence where it means none.
export const typedNumber = async (field, text, whole = false) => {
  if (plain.test(text.trim()) && !whole) return Number(text);
  const asked = new URLSearchParams({ field, text, whole: String(whole) });
  try {
    return (await ask(`/api/number?${asked}`)).value;
  } catch (problem) { throw new Error(problem instanceof Refused ? problem.message.replace(/^[^:]*: /, "") : problem.message); }
};

export const tellAtField = (field, said) => {
  let beside = field.nextElementSibling?.matches("small.at-field") ? field.nextElementSibling : null;
  if (!said) { beside?.remove(); field.removeAttribute("aria-invalid"); return; }
  if (!beside) {
    beside = document.createElement("small");
    beside.className = "bad at-field";
    beside.setAttribute("role", "alert");
    field.after(beside);
  }
  beside.textContent = said;
  field.setAttribute("aria-invalid", "true");
};

// True where a field holds a number or nothing; whether it may be empty is for the server to say.
const check = async (field) => {
  const text = field.value.trim();
  let said = "";
  try {
    if (text && field.dataset.list === undefined) await typedNumber(nameOf(field), text, field.inputMode === "numeric");
  } catch (problem) { said = problem.message; }
  tellAtField(field, said);
  return !said;
};
const fieldsOf = (form) => [...form.querySelectorAll("input[inputmode=decimal][name], input[inputmode=numeric][name]")].filter((field) => field.offsetParent !== null);

document.addEventListener("change", (event) => {
  if (event.target.matches?.("form input[inputmode=decimal][name], form input[inputmode=numeric][name]")) check(event.target);
});

let sent = new WeakSet();
const sound = new WeakSet();
document.addEventListener("submit", async (event) => {
  const form = event.target;
  if (event.defaultPrevented || form.method === "dialog") return;
  const fields = fieldsOf(form);
  if (!sound.has(form) && fields.some((field) => field.value.trim() && !plain.test(field.value.trim()))) {
    event.preventDefault();
    const good = await Promise.all(fields.map(check));
    await new Promise((resolve) => setTimeout(resolve));  // not amid the event that was stopped: nothing is sent from there
    if (good.includes(false)) { const wrong = fields[good.indexOf(false)]; wrong.focus(); wrong.scrollIntoView({ block: "center" }); return; }
    sound.add(form);
    form.requestSubmit(event.submitter?.form === form ? event.submitter : undefined);
    sound.delete(form);
    return;
  }
  if (form.method !== "post" || form.dataset.again !== undefined) return;
  if (sent.has(form)) { event.preventDefault(); return; }
  sent.add(form);
  form.dispatchEvent(new CustomEvent("sending"));
  const waiting = form.querySelector("[data-waiting]");
  if (waiting) waiting.hidden = false;
});
window.addEventListener("pageshow", (event) => { if (event.persisted) sent = new WeakSet(); });

// x-number="plate.set_c" keeps a number of the page's data in a text field; data-after names what to do then.
document.addEventListener("alpine:init", () => {
  window.Alpine.directive("number", (field, { expression }, { effect }) => {
    const steps = expression.split(".");
    const last = steps.at(-1);
    field.dataset.field ??= last;
    const data = () => window.Alpine.$data(field);
    const home = () => steps.slice(0, -1).reduce((at, step) => at?.[step], data());
    const shown = (value) => (value === null || value === undefined ? "" : String(typeof value === "number" ? Number(value.toFixed(4)) : value));
    effect(() => { const value = home()?.[last]; if (document.activeElement !== field) { field.value = shown(value); tellAtField(field, ""); } });
    let turn = 0;
    const read = async () => {
      const mine = ++turn, text = field.value.trim();
      let value = null;
      try {
        if (text || field.dataset.empty === undefined) value = await typedNumber(field.dataset.field, text);
      } catch (problem) { if (mine === turn) tellAtField(field, problem.message); return; }
      if (mine !== turn) return;
      tellAtField(field, "");
      if (home()[last] === value) return;
      home()[last] = value;
      if (field.dataset.after) data()[field.dataset.after]();
    };
    field.addEventListener("input", read);
    field.addEventListener("blur", async () => { await read(); if (!field.hasAttribute("aria-invalid")) field.value = shown(home()?.[last]); });
  });
});
