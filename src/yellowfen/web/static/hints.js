// Hints of the first time, each put beside what it is about; one press dismisses those of the room.
import { ask } from "./ask.js";

const list = document.getElementById("hints");
const put = () => {
  const { room, hints } = JSON.parse(list.textContent);
  const shown = [];
  for (const hint of hints) {
    const place = [...document.querySelectorAll(hint.at)].find((one) => one.offsetParent !== null);
    if (!place) continue;
    const inList = !hint.inside && place.parentElement.matches("ul, ol");
    const note = document.createElement(inList ? "li" : "div");
    note.className = "hint";
    if (!inList) note.setAttribute("role", "note");
    const said = document.createElement("span");
    said.textContent = hint.says;
    note.append(said);
    if (!shown.length) {
      const button = document.createElement("button");
      button.type = "button";
      button.className = "inline";
      button.textContent = "Hide these hints";
      button.addEventListener("click", async () => {
        for (const one of shown) one.remove();
        try { await ask(`/hints/${room}/dismiss`, { json: {}, stays: "the hints come again" }); } catch { /* they come again */ }
      });
      note.append(button);
    }
    if (hint.inside) place.prepend(note); else place.before(note);
    shown.push(note);
  }
};
if (list) put();
