// A picture with the board laid over it: places clicked, parts dragged, thresholds moved. What follows from it, the server says.
import { ask } from "./ask.js";
import { plans, svgNode } from "./plan.js";

document.addEventListener("DOMContentLoaded", () => {
  const root = document.querySelector("[data-picture]");
  const id = root.dataset.picture;
  const deed = root.dataset.do;
  const problem = root.querySelector("[data-problem]");
  const panel = root.querySelector("[data-panel]");
  const view = plans().find((plan) => plan.svg.classList.contains("picture-view"));
  const board = plans().find((plan) => plan !== view);
  const laid = view.svg.querySelector(".laid");
  let ref = root.dataset.ref;
  let name = "";
  let ruler = null;
  let busy = Promise.resolve();

  const put = (answer) => {
    const parsed = new DOMParser().parseFromString(`<svg xmlns="http://www.w3.org/2000/svg">${answer.overlay}</svg>`, "image/svg+xml");
    laid.replaceChildren(...[...parsed.documentElement.childNodes].map((node) => document.importNode(node, true)));
    panel.innerHTML = answer.panel;
    if (answer.says) { const note = document.createElement("p"); note.className = "m-0"; note.setAttribute("role", "status"); note.textContent = answer.says; panel.append(note); }
    tell();
  };
  const send = (path, json, method = "POST") => {
    busy = busy.then(async () => {
      try {
        put(await ask(`/api/pictures/${id}/${path}`, { method, json, stays: "nothing was stored, try again when it is back" }));
        problem.hidden = true;
      } catch (refusal) {
        problem.hidden = false;
        problem.textContent = refusal.message;
        for (const part of laid.querySelectorAll(".laid-part")) part.removeAttribute("transform");
      }
    });
    return busy;
  };
  const tell = () => {
    const now = panel.querySelector("[data-now]");
    if (now) now.textContent = name ? `Now tap ${name} in the picture.` : "";
  };
  const choose = (pad) => {
    name = pad;
    for (const one of board?.svg.querySelectorAll(".pad.now") ?? []) one.classList.remove("now");
    const [part, pin] = [pad.slice(0, pad.lastIndexOf(".")), pad.slice(pad.lastIndexOf(".") + 1)];
    board?.pad(part, pin)?.classList.add("now");
    tell();
  };

  board?.onTap((part, pin) => { if (pin !== null) choose(`${part}.${pin}`); });
  const rule = async (u, v) => {
    const says = root.querySelector("[data-length]");
    ruler.push([u, v]);
    if (ruler.length < 2) { says.textContent = "and the other end"; return; }
    const [[u1, v1], [u2, v2]] = ruler;
    ruler = [];
    view.svg.querySelector(".ruled")?.remove();
    view.svg.querySelector(".plan-view").append(svgNode("path", { class: "ruled", d: `M${u1},${v1}L${u2},${v2}` }));
    says.textContent = await ask(`/api/pictures/${id}/length?u1=${u1}&v1=${v1}&u2=${u2}&v2=${v2}`).then((answer) => answer.says, (refusal) => refusal.message);
  };
  view.svg.addEventListener("click", (event) => {
    if (view.moved) return;
    const [u, v] = view.place(event);
    if (ruler) { rule(u, v); return; }
    if (deed === "lay" && name) { const pad = name; choose(""); send("clicks", { name: pad, u, v }); }
    const chosen = event.target.closest("[data-choose]");
    if (chosen) open(chosen.dataset.choose);
  });
  const open = (part) => { window.location = `/pictures/${id}?do=part&ref=${encodeURIComponent(part)}`; };

  // A part is dragged as a whole; the server turns pixels into millimetres.
  let from = null;
  laid.addEventListener("pointerdown", (event) => {
    const part = event.target.closest(".laid-part");
    if (!part || ruler) return;
    event.stopPropagation();
    from = { part, at: view.place(event), by: [0, 0] };
    part.setPointerCapture?.(event.pointerId);
  });
  laid.addEventListener("pointermove", (event) => {
    if (!from) return;
    const [u, v] = view.place(event);
    from.by = [u - from.at[0], v - from.at[1]];
    from.part.setAttribute("transform", `translate(${from.by[0]},${from.by[1]})`);
  });
  for (const end of ["pointerup", "pointercancel"]) {
    laid.addEventListener(end, () => {
      if (!from) return;
      const [du, dv] = from.by;
      from = null;
      view.moved = true;
      if (Math.hypot(du, dv) > 0.5) move({ du, dv });
    });
  }
  const move = (by) => ref && send(`parts/${encodeURIComponent(ref)}/move`, by);

  panel.addEventListener("click", (event) => {
    const hit = (what) => event.target.closest(`[data-${what}]`);
    if (hit("unclick")) send("clicks", undefined, "DELETE");
    else if (hit("edges")) send(`edges?on=${hit("edges").dataset.edges === "on"}`);
    else if (hit("snap")) send(`parts/${encodeURIComponent(ref)}/snap`);
    else if (hit("turn")) move({ turn: Number(hit("turn").dataset.turn) });
    else if (hit("back")) move({ back: true });
    else if (hit("take")) send(`parts/${encodeURIComponent(ref)}/marks`);
    else if (hit("auto")) send("thresholds", { paste_darker: panel.querySelector("[data-darker]").checked });
  });
  panel.addEventListener("change", (event) => {
    if (event.target.matches("[data-part]")) { if (event.target.value) open(event.target.value); }
    else if (event.target.matches("[data-pad]")) choose(event.target.value.trim());
    else if (event.target.closest(".thresholds")) {
      const value = (which) => Number(panel.querySelector(`[data-threshold="${which}"]`).value);
      send("thresholds", { paste_from: value("paste_from"), bright_from: value("bright_from"), paste_darker: panel.querySelector("[data-darker]").checked });
    }
  });
  root.addEventListener("click", (event) => {
    const button = event.target.closest("[data-ruler], [data-plain]");
    if (!button) return;
    const on = button.getAttribute("aria-pressed") !== "true";
    button.setAttribute("aria-pressed", String(on));
    if (button.matches("[data-plain]")) laid.classList.toggle("put-aside", on);
    else { ruler = on ? [] : null; root.querySelector("[data-length]").textContent = on ? "Tap one end" : ""; view.svg.querySelector(".ruled")?.remove(); }
  });
  window.addEventListener("keydown", (event) => {
    if (deed !== "part" || event.target.matches("input, select, textarea") || event.ctrlKey || event.metaKey || event.altKey) return;
    const steps = { ArrowLeft: { du: -1 }, ArrowRight: { du: 1 }, ArrowUp: { dv: -1 }, ArrowDown: { dv: 1 }, ",": { turn: 0.5 }, ".": { turn: -0.5 } };
    if (event.key === "s") send(`parts/${encodeURIComponent(ref)}/snap`);
    else if (steps[event.key]) { event.preventDefault(); event.stopImmediatePropagation(); move(steps[event.key]); }
  }, true);
});
