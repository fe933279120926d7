// Sketching a patch: pick packages, drag or type distances, over a photo if there is one. Every change is kept at once.
import { ask } from "./ask.js";
import { tellAtField, typedNumber } from "./number_field.js";
import { SketchParts } from "./sketch_parts.js";
import { withUnit } from "./units.js";
document.addEventListener("DOMContentLoaded", () => {
  const facts = JSON.parse(document.getElementById("sketch-facts").textContent);
  const stage = document.querySelector("[data-board]");
  const board = stage.dataset.board;
  const svg = document.querySelector("[data-sketch]");
  const find = (name) => document.querySelector(`[data-${name}]`);
  const sketch = facts.sketch;
  const parts = sketch.parts;
  const geometry = new SketchParts(facts.packages);
  const margin = 3;
  let chosen = parts[0] ?? null;
  let hold = null;
  let scaling = null;
  let movingPicture = false;
  let timer = 0;

  const node = (name, attributes = {}, text = "") => {
    const made = document.createElementNS("http://www.w3.org/2000/svg", name);
    for (const [key, value] of Object.entries(attributes)) made.setAttribute(key, value);
    if (text) made.textContent = text;
    return made;
  };
  // The number in a field, read by the server's parser; NaN where it is none, which is told at the field.
  const number = async (field, key) => {
    try {
      const value = await typedNumber(key, field.value);
      tellAtField(field, "");
      return value;
    } catch (problem) { tellAtField(field, problem.message); return NaN; }
  };
  const round = (value) => Math.round(value * 100) / 100;
  const up = (y) => sketch.height_mm - y;

  // --- keeping ---
  const complain = (sentence) => { const place = find("problem"); place.hidden = !sentence; place.textContent = sentence ?? ""; };
  let sending = Promise.resolve();
  let underway = 0;
  // One after the other, so that an older state never arrives last; "kept" is said of the newest only.
  const send = (options = {}) => {
    timer = 0;
    underway += 1;
    sending = options.keepalive ? put(options) : sending.then(() => put(options));
    return sending;
  };
  const put = async (options) => {
    let said = null, refused = "";
    try {
      said = await ask(`/api/boards/${board}/sketch`, { method: "PUT", json: sketch, stays: "the last change is not saved", ...options });
    } catch (problem) { refused = problem.message; }
    underway -= 1;
    if (timer || underway) return;
    complain(refused);
    if (!said) { find("kept").textContent = "not saved"; return; }
    const nets = said.nets?.length ? `, ${said.nets.length} net${said.nets.length === 1 ? "" : "s"}` : "";
    find("kept").textContent = `kept: ${said.parts} part${said.parts === 1 ? "" : "s"}, ${said.pads} pads${nets}`;
    find("net-problems").replaceChildren(...said.net_problems.map((text) => { const line = document.createElement("p"); line.className = "mind m-0"; line.textContent = text; return line; }));
  };
  const keep = () => { remember(); find("kept").textContent = "…"; window.clearTimeout(timer); timer = window.setTimeout(send, 250); };

  // --- undo: the sketch after each change; what an arrow key or a finger moves in one go is one step
  const steps = [JSON.stringify(sketch)];
  let at = 0;
  let lastMoved = { ref: "", when: 0 };
  const remember = () => {
    const now = JSON.stringify(sketch);
    if (now === steps[at]) return;
    steps.splice(at + 1);
    const soon = lastMoved.again && at > 0;
    if (soon) steps[at] = now;
    else { steps.push(now); if (steps.length > 200) steps.shift(); at = steps.length - 1; }
    lastMoved.again = false;
    showSteps();
  };
  const moved = (part) => {
    const when = Date.now();
    lastMoved = { ref: part.ref, when, again: lastMoved.ref === part.ref && when - lastMoved.when < 800 };
  };
  const showSteps = () => { find("undo").disabled = at === 0; find("redo").disabled = at === steps.length - 1; };
  const step = (by) => {
    if (!steps[at + by]) return;
    at += by;
    lastMoved = { ref: "", when: 0 };
    const was = JSON.parse(steps[at]);
    const ref = chosen?.ref;
    parts.splice(0, parts.length, ...was.parts);
    Object.assign(sketch, was, { parts });
    chosen = parts.find((part) => part.ref === ref) ?? parts[0] ?? null;
    for (const field of document.querySelectorAll("[data-field]")) field.value = sketch[field.dataset.field];
    find("nets").value = sketch.nets.join("\n");
    say(by < 0 ? "Undone." : "Done again.");
    tools(); draw(); keep(); showSteps();
    photoFollows().then(() => { tools(); draw(); });
  };
  find("undo").addEventListener("click", () => step(-1));
  find("redo").addEventListener("click", () => step(1));
  document.addEventListener("keydown", (event) => {
    if (!(event.ctrlKey || event.metaKey) || event.target.closest("input, textarea, select")) return;
    const key = event.key.toLowerCase();
    const by = key === "y" || (key === "z" && event.shiftKey) ? 1 : key === "z" ? -1 : 0;
    if (by) { event.preventDefault(); step(by); }
  });
  window.addEventListener("pagehide", () => { if (timer) { window.clearTimeout(timer); send({ keepalive: true }); } });
  find("done").addEventListener("click", async (event) => {
    if (!timer) return;
    event.preventDefault();
    window.clearTimeout(timer);
    await send();
    if (find("problem").hidden) window.location.assign(event.target.href);
  });

  // --- drawing ---
  const draw = () => {
    const [w, h] = [sketch.width_mm, sketch.height_mm];
    svg.setAttribute("viewBox", `${-margin} ${-margin} ${w + 2 * margin} ${h + 2 * margin}`);
    const focused = document.activeElement?.closest?.("[data-part-key]")?.dataset.partKey;
    svg.replaceChildren();
    svg.append(node("rect", { class: "plan-board", x: 0, y: 0, width: w, height: h, rx: 0.6 }));
    drawPicture();
    const step = Math.max(w, h) > 90 ? 10 : 5;
    for (let x = step; x < w; x += step) svg.append(node("line", { class: "rule", x1: x, x2: x, y1: 0, y2: h }));
    for (let y = step; y < h; y += step) svg.append(node("line", { class: "rule", x1: 0, x2: w, y1: up(y), y2: up(y) }));
    svg.append(node("text", { class: "rule-word", x: 0, y: h + 2.2, "font-size": 1.6 }, `squares of ${withUnit(step, "mm")}`));
    for (const part of parts) svg.append(drawPart(part));
    if (focused) focusOn(chosen?.ref ?? focused);
    if (chosen) drawGaps();
    if (scaling) for (const [x, y] of scaling) svg.append(node("circle", { class: "scale-mark", cx: x, cy: up(y), r: 0.5 }));
    fillPanel();
  };
  const drawPart = (part) => {
    const shape = facts.packages[part.package];
    const flip = part.side === "bottom" ? " scale(-1,1)" : "";
    const group = node("g", { class: `part${part === chosen ? " chosen" : ""}${shape.shy ? " shy" : ""}${part.side === "bottom" ? " beneath" : ""}`, "data-ref": part.ref, transform: `translate(${part.x_mm},${up(part.y_mm)})${flip} rotate(${-part.rotation_deg})` });
    for (const [, x, y, wide, high] of shape.lands) group.append(node("rect", { class: "pad", x: x - wide / 2, y: -y - high / 2, width: wide, height: high }));
    if (shape.family === "can") group.append(node("circle", { class: "drawn-body", r: shape.x / 2 }));
    else group.append(node("rect", { class: "drawn-body", x: -shape.x / 2, y: -shape.y / 2, width: shape.x, height: shape.y, rx: Math.min(shape.x, shape.y) * 0.08 }));
    const first = shape.pin1 && shape.lands[0];
    const within = (at, size) => Math.max(-0.34 * size, Math.min(0.34 * size, 0.62 * at));
    if (first) group.append(node("circle", { class: "drawn-first", cx: within(first[1], shape.x), cy: within(-first[2], shape.y), r: Math.min(shape.x, shape.y) * 0.08 }));
    const holder = node("g", { "data-ref": part.ref, "data-part-key": part.ref, tabindex: 0, role: "button", "aria-label": `${part.ref}, ${part.package}`, "aria-pressed": String(part === chosen) });
    const [, high] = geometry.half(part);
    const size = Math.max(1.1, Math.min(2, 0.5 * high));
    const inside = high > size;
    holder.append(group, node("text", { class: "name", x: part.x_mm, y: inside ? up(part.y_mm) + 0.36 * size : up(part.y_mm) - high - 0.3, "font-size": size }, part.ref));
    return holder;
  };
  const focusOn = (ref) => svg.querySelector(`[data-part-key="${CSS.escape(ref)}"]`)?.focus({ preventScroll: true });
  const drawGaps = () => {
    const box = geometry.box(chosen);
    for (const direction of ["left", "right", "above", "below"]) {
      const { gap } = geometry.clear(chosen, direction, parts, sketch);
      if (gap < 0.05) continue;
      const along = { left: [box.left - gap, chosen.y_mm, box.left, chosen.y_mm], right: [box.right, chosen.y_mm, box.right + gap, chosen.y_mm], above: [chosen.x_mm, box.above, chosen.x_mm, box.above + gap], below: [chosen.x_mm, box.below - gap, chosen.x_mm, box.below] }[direction];
      svg.append(node("line", { class: "gap-line", x1: along[0], y1: up(along[1]), x2: along[2], y2: up(along[3]) }));
      svg.append(node("text", { class: "gap-word", x: (along[0] + along[2]) / 2, y: up((along[1] + along[3]) / 2) - 0.35, "font-size": Math.max(0.9, Math.min(1.5, 0.6 * gap)) }, gap.toFixed(1)));
    }
  };
  const drawPicture = () => {
    const lies = sketch.picture;
    if (!facts.picture || !lies) return;
    const [w, h] = [lies.width_px * lies.mm_per_px, lies.height_px * lies.mm_per_px];
    svg.append(node("image", { href: `/boards/${board}/picture?${facts.pictureTurn ?? 0}`, width: w, height: h, preserveAspectRatio: "none", opacity: 0.75, transform: `translate(${lies.x_mm},${up(lies.y_mm)}) rotate(${-lies.turn_deg}) translate(0,${-h})` }));
  };
  const fillPanel = () => {
    find("chosen-part").hidden = !chosen;
    if (!chosen) return;
    const put = (field, value) => { if (document.activeElement !== field) field.value = value; };
    put(document.querySelector("[data-part=ref]"), chosen.ref);
    put(document.querySelector("[data-part=package]"), chosen.package);
    put(document.querySelector("[data-part=value]"), chosen.value ?? "");
    const shape = facts.packages[chosen.package];
    find("taken-as").textContent = shape ? `${shape.name === chosen.package ? "" : `taken as ${shape.name}, `}body ${round(shape.x)} × ${withUnit(round(shape.y), "mm")}, ${shape.lands.length} pads` : "";
    put(document.querySelector("[data-part=rotation_deg]"), chosen.rotation_deg);
    document.querySelector("[data-part=beneath]").checked = chosen.side === "bottom";
    for (const direction of ["left", "right", "above", "below"]) {
      const clear = geometry.clear(chosen, direction, parts, sketch);
      document.querySelector(`[data-gap-to=${direction}]`).textContent = clear.to;
      put(document.querySelector(`[data-gap=${direction}]`), clear.gap.toFixed(2));
    }
  };

  // --- parts on and off ---
  const say = (text) => { find("said").textContent = text; };
  const add = (name) => {
    const part = { ref: geometry.freeName(facts.packages[name], parts), package: name, x_mm: 0, y_mm: 0, rotation_deg: 0, side: "top", value: "" };
    [part.x_mm, part.y_mm] = geometry.freePlace(part, parts, sketch).map(round);
    parts.push(part);
    chosen = part;
    say(`${part.ref}: drag it, or type its distance to its neighbours. R turns it.`);
    draw(); keep();
  };
  const learn = async (name) => {
    if (facts.packages[name]) return true;
    try {
      facts.packages[name] = await ask(`/api/packages?name=${encodeURIComponent(name)}`);
    } catch (problem) { complain(problem.message); return false; }
    complain("");
    return true;
  };
  const turn = () => { if (chosen) { chosen.rotation_deg = (chosen.rotation_deg + 90) % 360; draw(); keep(); } };
  const remove = () => { if (chosen) { say(`${chosen.ref} is removed. Undo brings it back.`); parts.splice(parts.indexOf(chosen), 1); chosen = parts[0] ?? null; draw(); keep(); } };
  for (const button of document.querySelectorAll("[data-add]")) {
    button.addEventListener("click", () => add(button.dataset.add));
    button.disabled = false;  // a tap before this script has come would be lost
  }
  find("by-name").addEventListener("submit", async (event) => {
    event.preventDefault();
    const name = event.target.querySelector("input").value.trim();
    if (name && (await learn(name))) add(name);
  });
  find("turn").addEventListener("click", turn);
  find("remove").addEventListener("click", remove);
  find("copy").addEventListener("click", () => add(chosen.package));

  // --- typed ---
  for (const field of document.querySelectorAll("[data-field]")) {
    field.addEventListener("change", async () => {
      const key = field.dataset.field;
      const value = key.endsWith("_mm") ? await number(field, key) : field.value;
      if (Number.isNaN(value)) return;
      sketch[key] = value;
      draw(); keep();
    });
  }
  for (const field of document.querySelectorAll("[data-part]")) {
    field.addEventListener("change", async () => {
      const key = field.dataset.part;
      if (key === "beneath") chosen.side = field.checked ? "bottom" : "top";
      else if (key === "rotation_deg") { const value = await number(field, key); if (Number.isFinite(value)) chosen.rotation_deg = value % 360; }
      else if (key === "package") { if (await learn(field.value.trim())) chosen.package = field.value.trim(); }
      else if (key === "value") chosen.value = field.value.trim();
      else { renameInNets(chosen.ref, field.value.trim()); chosen.ref = field.value.trim(); }
      draw(); keep();
    });
  }
  find("nets").addEventListener("change", () => { sketch.nets = find("nets").value.split(/\r?\n/).map((line) => line.trim()).filter(Boolean); keep(); });
  // A part that is renamed keeps its nets.
  const renameInNets = (before, after) => {
    if (!after || before === after) return;
    const word = (one) => (one.toLowerCase().startsWith(`${before.toLowerCase()}.`) ? after + one.slice(before.length) : one);
    sketch.nets = sketch.nets.map((line) => line.split(" ").map(word).join(" "));
    find("nets").value = sketch.nets.join("\n");
  };
  for (const field of document.querySelectorAll("[data-gap]")) {
    field.addEventListener("change", async () => {
      const value = await number(field, "clear_mm");
      if (!Number.isFinite(value)) return;
      geometry.setClear(chosen, field.dataset.gap, value, parts, sketch);
      [chosen.x_mm, chosen.y_mm] = [round(chosen.x_mm), round(chosen.y_mm)];
      field.blur();
      draw(); keep();
    });
  }

  // --- by hand ---
  const place = (event) => {
    const point = new DOMPoint(event.clientX, event.clientY).matrixTransform(svg.getScreenCTM().inverse());
    return [point.x, up(point.y)];
  };
  svg.addEventListener("pointerdown", (event) => {
    const [x, y] = place(event);
    if (scaling && scaling.length < 2) { scaling.push([x, y]); askLength(); draw(); return; }
    const ref = event.target.closest("[data-ref]")?.dataset.ref;
    if (movingPicture) hold = { picture: true, x: x - sketch.picture.x_mm, y: y - sketch.picture.y_mm };
    else if (ref) { chosen = parts.find((part) => part.ref === ref); hold = { part: chosen, x: x - chosen.x_mm, y: y - chosen.y_mm }; }
    if (hold) svg.setPointerCapture(event.pointerId);
    draw();
    if (ref && chosen) focusOn(chosen.ref); else svg.focus({ preventScroll: true });
  });
  svg.addEventListener("focusin", (event) => {
    const part = parts.find((one) => one.ref === event.target.closest("[data-part-key]")?.dataset.partKey);
    if (part && part !== chosen && !hold) { chosen = part; draw(); }
  });
  svg.addEventListener("pointermove", (event) => {
    if (!hold) return;
    const [x, y] = place(event);
    const moved = hold.picture ? sketch.picture : hold.part;
    moved.x_mm = Math.round((x - hold.x) * 10) / 10;
    moved.y_mm = Math.round((y - hold.y) * 10) / 10;
    hold.moved = true;
    draw();
  });
  for (const name of ["pointerup", "pointercancel"]) svg.addEventListener(name, () => { if (hold?.moved) keep(); hold = null; });
  svg.addEventListener("keydown", (event) => {
    if (event.ctrlKey || event.metaKey || event.altKey) return;
    const way = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, 1], ArrowDown: [0, -1] }[event.key];
    if (way && chosen) {
      const far = event.shiftKey ? 1 : 0.1;
      chosen.x_mm = round(chosen.x_mm + way[0] * far);
      chosen.y_mm = round(chosen.y_mm + way[1] * far);
      moved(chosen);
      event.preventDefault();
      draw(); keep();
    } else if (event.key === "r" || event.key === "R") turn();
    else if (event.key === "Delete" || event.key === "Backspace") remove();
  });

  // --- the photo ---
  const tools = () => {
    const there = facts.picture && sketch.picture;
    for (const name of ["scale", "move", "away"]) find(name).hidden = !there;
    const asked = scaling?.length === 2;
    find("length-field").hidden = !asked;
    find("level-field").hidden = !asked;
  };
  const askLength = () => {
    tools();
    if (scaling.length < 2) { say("Click the other end of the known length."); return; }
    say("Type their distance.");
    window.setTimeout(() => find("length").focus(), 0);
  };
  const layBeneath = () => {
    const picture = new Image();
    picture.addEventListener("load", () => {
      sketch.picture = { x_mm: 0, y_mm: 0, mm_per_px: sketch.width_mm / picture.naturalWidth, turn_deg: 0, width_px: picture.naturalWidth, height_px: picture.naturalHeight };
      say("Now scale it: two clicks on a length you know, such as a row of pins.");
      tools(); draw(); keep();
    });
    picture.src = `/boards/${board}/picture?${facts.pictureTurn}`;
  };
  const takePicture = async () => {
    const form = new FormData();
    form.append("file", find("picture").files[0]);
    try {
      await ask(`/api/boards/${board}/picture`, { body: form, stays: "the photo was not saved" });
    } catch (problem) { complain(problem.message); return; }
    complain("");
    facts.picture = true;
    facts.pictureTurn = (facts.pictureTurn ?? 0) + 1;
    layBeneath();
  };
  find("picture").addEventListener("change", takePicture);
  if (find("picture").files.length) takePicture();  // chosen before this script came
  find("scale").addEventListener("click", () => { scaling = []; movingPicture = false; say("Click one end of a length you know."); tools(); draw(); });
  find("length").addEventListener("change", async () => {
    const length = await number(find("length"), "length");
    const [[ax, ay], [bx, by]] = scaling;
    const apart = Math.hypot(bx - ax, by - ay);
    if (!(length > 0) || apart === 0) { complain("Their distance: type a length in mm, above 0"); return; }
    complain("");
    const lies = sketch.picture;
    const factor = length / apart;
    const turnBy = find("level").checked ? -Math.atan2(by - ay, bx - ax) : 0;
    const [dx, dy] = [lies.x_mm - ax, lies.y_mm - ay];
    lies.x_mm = round(ax + factor * (dx * Math.cos(turnBy) - dy * Math.sin(turnBy)));
    lies.y_mm = round(ay + factor * (dx * Math.sin(turnBy) + dy * Math.cos(turnBy)));
    lies.mm_per_px *= factor;
    lies.turn_deg = (lies.turn_deg + (turnBy * 180) / Math.PI) % 360;
    scaling = null;
    find("length").value = "";
    say("Scaled. Move the photo so that the part you work on lies in the patch.");
    tools(); draw(); keep();
  });
  find("move").addEventListener("click", () => { movingPicture = !movingPicture; find("move").setAttribute("aria-pressed", String(movingPicture)); say(movingPicture ? "Drag the photo." : "Drag the parts."); });
  find("away").addEventListener("click", async () => {
    sketch.picture = null;
    movingPicture = false;
    say("The photo is removed. Undo brings it back.");
    await photoFollows();
    tools(); draw(); keep();
  });
  // The stored photo goes and comes with the sketch's steps; its bytes are kept here while the page is open.
  let photo = null;
  const photoFollows = async () => {
    try {
      if (facts.picture && !sketch.picture) {
        photo = await (await fetch(`/boards/${board}/picture?${facts.pictureTurn ?? 0}`)).blob();
        await ask(`/api/boards/${board}/picture`, { method: "DELETE", as: "html", stays: "the photo stays" });
        facts.picture = false;
      } else if (!facts.picture && sketch.picture && photo) {
        const form = new FormData();
        form.append("file", photo, "photo.jpg");
        await ask(`/api/boards/${board}/picture`, { body: form, stays: "the photo was not saved" });
        facts.picture = true;
        facts.pictureTurn = (facts.pictureTurn ?? 0) + 1;
      } else return;
      complain("");
    } catch (problem) { complain(problem.message); }
  };

  if (facts.picture && !sketch.picture) layBeneath();
  tools();
  draw();
});
