// Marks on the plan: a tick on a good joint, a cross on a bad one.
import { plans, svgNode } from "./plan.js";

export const paintMarks = (plan, marks) => {
  for (const sign of plan.svg.querySelectorAll(".sign")) sign.remove();
  for (const pad of plan.svg.querySelectorAll(".pad.marked-good, .pad.marked-bad")) pad.classList.remove("marked-good", "marked-bad");
  for (const [key, verdict] of Object.entries(marks)) {
    const dot = key.lastIndexOf(".");
    const pad = plan.pad(key.slice(0, dot), key.slice(dot + 1));
    if (!pad) continue;
    const good = verdict === "good";
    pad.classList.add(good ? "marked-good" : "marked-bad");
    const box = pad.getBBox();
    const size = Math.min(box.width, box.height) * 0.36;
    const [x, y] = [box.x + box.width / 2, box.y + box.height / 2];
    const d = good ? `M${x - size},${y}L${x - size * 0.3},${y - size * 0.8}L${x + size},${y + size * 0.8}` : `M${x - size},${y - size}L${x + size},${y + size}M${x - size},${y + size}L${x + size},${y - size}`;
    pad.parentNode.append(svgNode("path", { class: "sign", d }));
  }
};

// The page that tells how far a look is: its plan as it is marked so far.
document.addEventListener("DOMContentLoaded", () => {
  const told = document.getElementById("marks");
  if (!told) return;
  for (const plan of plans()) {
    paintMarks(plan, JSON.parse(told.textContent));
    const parts = [...plan.svg.querySelectorAll(".part.target")];
    if (parts.length) plan.frameOn(parts, 3);
  }
});
