// The board page, parts out of bare pads: many are named in one go, and pads are put together to one part.
import { ask } from "./ask.js";
import { plans, svgNode } from "./plan.js";
document.addEventListener("DOMContentLoaded", () => {
  const [plan] = plans();
  const here = window.location.pathname;

  // --- names, one after the other
  const naming = document.querySelector("[data-naming]");
  if (naming) {
    const queue = JSON.parse(document.getElementById("unnamed").textContent);
    const field = naming.querySelector("input[name=name]");
    const about = naming.querySelector("[data-now]");
    const left = document.querySelector("[data-unnamed-count]");
    const problem = naming.querySelector("[data-naming-problem]");
    const given = {}; // what was typed last for parts of a package: letters and number
    let at = 0;

    const suggested = (one) => {
      const last = given[one.package];
      if (!last) return "";
      let number = last.number + 1;
      while (plan.part(`${last.letters}${number}`)) number += 1;
      return `${last.letters}${number}`;
    };
    const show = () => {
      const one = queue[at];
      naming.hidden = !one;
      if (!one) return;
      about.textContent = `${one.ref}, ${one.package}`;
      field.value = suggested(one);
      field.select();
      for (const node of plan.svg.querySelectorAll(".part.chosen")) node.classList.remove("chosen");
      plan.part(one.ref)?.classList.add("chosen");
      const shown = [plan.part(one.ref), ...plan.pads(one.ref)].filter(Boolean);
      if (shown.length) plan.frameOn(shown, 5);
    };
    const renamed = (one, name) => {
      for (const node of plan.svg.querySelectorAll(`[data-ref="${CSS.escape(one.ref)}"]`)) {
        node.dataset.ref = name;
        if (node.matches("text")) node.textContent = name;
      }
      for (const node of document.querySelectorAll(`.triage [data-show="${CSS.escape(one.ref)}"]`)) { node.dataset.show = name; node.textContent = name; }
      const parts = /^(\D+)(\d+)$/.exec(name);
      if (parts) given[one.package] = { letters: parts[1], number: Number(parts[2]) };
      queue.splice(at, 1);
      if (at >= queue.length) at = 0;
      left.textContent = queue.length;
    };
    naming.addEventListener("submit", async (event) => {
      event.preventDefault();
      const one = queue[at];
      const name = field.value.trim();
      if (!one || !name) return;
      try {
        const kept = await ask(`/api${here}/names`, { json: { ref: one.ref, name }, stays: "the name was not saved" });
        problem.textContent = "";
        renamed(one, kept.name);
        document.querySelector("[data-last-change]").textContent = kept.last_change;
        document.querySelector("[data-undo-change]").hidden = false;
        show();
      } catch (refusal) { problem.textContent = refusal.message; field.select(); }
    });
    field.addEventListener("keydown", (event) => {
      const step = { ArrowDown: 1, ArrowUp: -1 }[event.key];
      if (!step || !queue.length) return;
      event.preventDefault();
      at = (at + step + queue.length) % queue.length;
      show();
    });
    naming.querySelector("[data-later]").addEventListener("click", () => { at = (at + 1) % Math.max(queue.length, 1); show(); });
    document.querySelector("[data-begin-naming]").addEventListener("click", () => { show(); field.focus({ preventScroll: true }); });
    naming.hidden = true;
  }

  // --- pads together
  const box = document.querySelector("[data-together]");
  if (!box) return;
  const list = box.querySelector("[data-pads]");
  const count = box.querySelector("[data-pad-count]");
  const chosen = new Set();
  const told = () => {
    list.value = [...chosen].join(" ");
    count.textContent = chosen.size === 1 ? "1 pad" : `${chosen.size} pads`;
    for (const node of plan.svg.querySelectorAll(".pad[data-place]")) node.classList.toggle("together", chosen.has(node.dataset.place));
    for (const tick of box.querySelectorAll("[data-loose]")) tick.checked = chosen.has(tick.dataset.loose);
  };
  box.querySelector("form").addEventListener("typed-again", () => { for (const place of list.value.split(" ").filter(Boolean)) chosen.add(place); told(); });
  const toggle = (place, on = !chosen.has(place)) => { if (on) chosen.add(place); else chosen.delete(place); told(); };
  box.addEventListener("change", (event) => { if (event.target.dataset.loose) toggle(event.target.dataset.loose, event.target.checked); });
  box.addEventListener("toggle", () => {
    plan.svg.classList.toggle("framing", box.open);
    plan.framing = box.open ? frame : null;
    plan.putting = box.open;
    if (!box.open) { chosen.clear(); told(); }
  });
  box.querySelector("[data-none]").addEventListener("click", () => { chosen.clear(); told(); });
  plan.svg.addEventListener("click", (event) => {
    const place = event.target.closest(".pad")?.dataset.place;
    if (!box.open || plan.moved) return;
    if (place !== undefined) { toggle(place); return; }
    const ref = event.target.closest(".part")?.dataset.ref;
    for (const pad of ref ? plan.pads(ref) : []) toggle(pad.dataset.place, true);
  });

  let corner = null;
  const drawn = svgNode("rect", { class: "frame-drawn", visibility: "hidden" });
  plan.svg.append(drawn);
  function frame(event, ended) {
    const [x, y] = plan.place(event);
    corner ??= [x, y];
    const [x0, y0, x1, y1] = [Math.min(x, corner[0]), Math.min(y, corner[1]), Math.max(x, corner[0]), Math.max(y, corner[1])];
    for (const [key, value] of Object.entries({ x: x0, y: y0, width: x1 - x0, height: y1 - y0, visibility: ended ? "hidden" : "visible" })) drawn.setAttribute(key, value);
    if (!ended) return;
    corner = null;
    if (x1 - x0 < 0.3 && y1 - y0 < 0.3) return;
    const toPlan = plan.svg.getScreenCTM().inverse();
    for (const pad of plan.svg.querySelectorAll(".pad[data-place]")) {
      const box = pad.getBoundingClientRect();
      const middle = new DOMPoint(box.x + box.width / 2, box.y + box.height / 2).matrixTransform(toPlan);
      if (middle.x > x0 && middle.x < x1 && middle.y > y0 && middle.y < y1) chosen.add(pad.dataset.place);
    }
    told();
  }
});
