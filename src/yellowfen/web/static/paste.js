// The foil slider: asks for the judgement in another foil while it moves, keeps the foil when it is let go.
import { ask } from "./ask.js";
import { withUnit } from "./units.js";

document.addEventListener("DOMContentLoaded", () => {
  const form = document.querySelector("[data-foil-form]");
  const slide = form.querySelector("[data-slide]");
  const range = slide.querySelector("input");
  const output = slide.querySelector("output");
  const words = form.querySelector("[data-words]");
  const typed = form.querySelector("[data-typed]");
  const answer = document.querySelector("[data-judged]");
  const overlay = document.querySelector(".plan-overlay");
  let asked = 0;
  slide.hidden = false;

  const plain = (value) => String(Number(Number(value).toFixed(3)));
  const problem = (said) => {
    document.querySelector("[data-problem]")?.remove();
    if (!said) return;
    const line = document.createElement("p");
    line.className = "problem";
    line.dataset.problem = "";
    line.setAttribute("role", "alert");
    line.textContent = said;
    form.before(line);
  };
  const show = async (foil) => {
    const mine = ++asked;
    const query = new URLSearchParams({ foil, paste: form.paste.value, side: form.side.value });
    let reply;
    try {
      reply = await ask(`${form.dataset.api}?${query}`, { stays: "the stencil stays as it was" });
    } catch (refusal) { if (mine === asked) problem(refusal.message); return; }
    if (mine !== asked) return;
    problem("");
    answer.innerHTML = reply.answer;
    overlay.innerHTML = reply.overlay;
    const card = answer.querySelector("[data-said]");
    words.textContent = card.dataset.said;
    words.classList.toggle("bad", card.dataset.wrong !== "0");
    words.classList.toggle("good", card.dataset.wrong === "0");
    for (const button of form.querySelectorAll("[data-foil]")) button.setAttribute("aria-pressed", String(button.dataset.foil === plain(foil)));
    document.body.dataset.judged = plain(foil);
  };
  const keep = async (foil) => {
    const body = new URLSearchParams({ foil, paste: form.paste.value, side: form.side.value });
    await ask(form.action, { body, stays: "that was not saved" }).catch((refusal) => problem(refusal.message));
  };
  range.addEventListener("input", () => { output.textContent = withUnit(plain(range.value), "mm"); typed.value = plain(range.value); show(range.value); });
  range.addEventListener("change", () => keep(range.value));
});
