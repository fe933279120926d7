// What was unfolded stays so, and what was folded too, on this device.
const KEY = "yellowfen-folds";
const kept = () => { try { return JSON.parse(localStorage.getItem(KEY) ?? "{}"); } catch { return {}; } };
document.addEventListener("DOMContentLoaded", () => {
  for (const fold of document.querySelectorAll("details[data-fold]")) {
    const name = fold.dataset.fold;
    if (name in kept()) fold.open = kept()[name];
    fold.addEventListener("toggle", () => localStorage.setItem(KEY, JSON.stringify({ ...kept(), [name]: fold.open })));
  }
});
