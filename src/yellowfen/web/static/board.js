// The board page: a tap on a part opens its card, a tap on a pad shows its whole net, a change of a file's role reads again.
import { ask } from "./ask.js";
import { plans } from "./plan.js";
document.addEventListener("DOMContentLoaded", () => {
  const said = document.querySelector("[data-part-said]");
  const card = document.querySelector("[data-card]");
  const nets = JSON.parse(document.getElementById("nets").textContent);
  const here = window.location.pathname;
  const [plan] = plans();

  const choose = (ref) => {
    for (const node of plan.svg.querySelectorAll(".part.chosen")) node.classList.remove("chosen");
    plan.part(ref)?.classList.add("chosen");
  };
  const open = async (ref) => {
    choose(ref);
    try {
      card.innerHTML = await ask(`${here}/parts/${encodeURIComponent(ref)}`, { as: "html" });
      card.querySelector("[data-name-it]")?.focus({ preventScroll: true });
    } catch (problem) { said.textContent = problem.message; }
  };
  const net = (pad) => {
    for (const node of plan.svg.querySelectorAll(".pad.together")) node.classList.remove("together");
    if (!pad || pad.dataset.net === undefined) return "";
    const mine = [...plan.svg.querySelectorAll(`.pad[data-net="${CSS.escape(pad.dataset.net)}"]`)];
    for (const node of mine) node.classList.add("together");
    const name = nets[Number(pad.dataset.net)];
    return `, ${name.startsWith("net ") ? name : `net ${name}`}: ${mine.length} pad${mine.length > 1 ? "s" : ""} on this side`;
  };
  plan.svg.addEventListener("click", (event) => {
    if (plan.moved || plan.putting) return;
    const pad = event.target.closest(".pad");
    const part = event.target.closest("[data-ref]");
    const tail = net(pad);
    if (!part && !pad) return;
    const ref = part?.dataset.ref;
    const title = ref ? plan.part(ref)?.querySelector("title")?.textContent ?? ref : "A pad without a part";
    said.textContent = pad ? `${title}${pad.dataset.pin ? `, pin ${pad.dataset.pin}` : ""}${tail}` : title;
    if (ref) open(ref);
  });
  if (document.querySelector("[data-unnamed]")) plan.svg.closest(".plan-frame").querySelector("[data-legend]").click();
  const first = card.querySelector("input[name=ref]")?.value;
  const wanted = new URLSearchParams(window.location.search).get("part") ?? first;
  if (wanted) choose(wanted);
  document.addEventListener("click", (event) => {
    const ref = event.target.closest("[data-show]")?.dataset.show;
    if (!ref || !plan.part(ref)) return;
    if (event.target.closest("a")) event.preventDefault();
    open(ref);
    plan.frameOn([plan.part(ref), ...plan.pads(ref)], 8);
  });
  // Ctrl+Z takes the last change back, except in a field, whose own letters it takes back.
  const undo = document.querySelector("[data-undo-change]");
  document.addEventListener("keydown", (event) => {
    if (event.key.toLowerCase() !== "z" || !(event.ctrlKey || event.metaKey) || event.shiftKey || undo.hidden) return;
    if (event.target.closest("input, textarea, select")) return;
    event.preventDefault();
    undo.requestSubmit();
  });
});
