// A term of the trade has a dotted line where a page first writes it; a press shows its drawing and what it means.
import { ask } from "./ask.js";

const PLACES = "main p, main li, main h2, main td, main dd, main figcaption, main .soft";
const NOT_IN = "a, button, label, summary, select, textarea, svg, form.naming, script, style, template, .word-list, .strip-dots, .job-head, .brand, [x-text], [x-html], [data-part-said], [contenteditable]";
const MOST = 12; // on one page: more would be noise

const forms = JSON.parse(document.getElementById("words")?.textContent ?? "{}");
const pattern = new RegExp(`(?<![\\w-])(${Object.keys(forms).sort((a, b) => b.length - a.length).join("|")})(?![\\w-])`, "i");

const card = document.createElement("div");
card.className = "word-card";
card.setAttribute("role", "dialog");
card.setAttribute("aria-label", "What a word means");
card.hidden = true;
let opener = null;

const close = () => { if (card.hidden) return; card.hidden = true; opener?.focus(); };
const show = async (link) => {
  opener = link;
  try { card.innerHTML = await ask(`/reference/words/${link.dataset.term}`, { as: "html" }); } catch { location.assign(link.href); return; }
  document.body.append(card);
  card.hidden = false;
  const at = link.getBoundingClientRect();
  const left = Math.max(8, Math.min(at.left, innerWidth - card.offsetWidth - 8));
  const below = at.bottom + 8 + card.offsetHeight < innerHeight;
  card.style.left = `${left + scrollX}px`;
  card.style.top = `${(below ? at.bottom + 8 : Math.max(8, at.top - 8 - card.offsetHeight)) + scrollY}px`;
  card.querySelector("button").focus();
};

const seen = new Set();
const mark = () => {
  for (const place of document.querySelectorAll(PLACES)) {
    if (seen.size >= MOST) return;
    if (place.closest(NOT_IN) || !place.checkVisibility()) continue;
    const walker = document.createTreeWalker(place, NodeFilter.SHOW_TEXT);
    for (let text = walker.nextNode(); text; text = walker.nextNode()) {
      if (text.parentElement.closest(NOT_IN)) continue;
      const found = pattern.exec(text.data);
      const key = found && forms[found[1].toLowerCase()];
      if (!key || seen.has(key) || /flex|grid/.test(getComputedStyle(text.parentElement).display)) continue;
      seen.add(key);
      const after = text.splitText(found.index);
      after.splitText(found[1].length);
      const link = document.createElement("a");
      link.className = "term";
      link.href = `/reference/words#${key}`;
      link.dataset.term = key;
      after.replaceWith(link);
      link.append(after);
      walker.currentNode = link;
      if (seen.size >= MOST) return;
    }
  }
};

document.addEventListener("click", (event) => {
  const link = event.target.closest("a.term");
  if (link && !event.ctrlKey && !event.metaKey) { event.preventDefault(); show(link); }
  else if (event.target.closest("[data-close-word]") || !event.target.closest(".word-card")) close();
});
document.addEventListener("keydown", (event) => { if (event.key === "Escape") close(); });
document.addEventListener("toggle", mark, true); // what was folded is marked once it is seen
mark();
