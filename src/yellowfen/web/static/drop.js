// Dropping files or folders anywhere on the sheet puts them into its file field.
import { ask } from "./ask.js";
document.addEventListener("DOMContentLoaded", () => {
  const filesIn = async (entry) => {
    if (entry.isFile) return [await new Promise((take, fail) => entry.file(take, fail))];
    const reader = entry.createReader();
    const found = [];
    for (;;) {
      const some = await new Promise((take, fail) => reader.readEntries(take, fail));
      if (!some.length) return found;
      for (const one of some) found.push(...(await filesIn(one)));
    }
  };
  for (const sheet of document.querySelectorAll("[data-drop]")) {
    const field = sheet.querySelector("[data-files]");
    const folder = sheet.querySelector("[data-folder]");
    const said = sheet.querySelector("[data-chosen]");
    const put = (files) => {
      const bag = new DataTransfer();
      for (const file of files) if (!file.name.startsWith(".")) bag.items.add(file);
      field.files = bag.files;
      tell();
    };
    const tell = () => {
      const names = [...field.files].map((file) => file.name);
      said.textContent = names.length ? `${names.length} file${names.length > 1 ? "s" : ""}: ${names.slice(0, 6).join(", ")}${names.length > 6 ? " and more" : ""}` : "Nothing chosen yet.";
    };
    field.addEventListener("change", tell);
    // Who comes near the field will soon have files read: what reads them takes a second to be ready.
    const near = () => ask("/api/reader", { method: "POST" }).catch(() => {});  // it is only sooner with it
    if ("reads" in sheet.dataset) {
      const [first, signs] = [new AbortController(), ["pointerover", "focusin", "dragenter", "change"]];
      for (const sign of signs) sheet.addEventListener(sign, () => { first.abort(); near(); }, { signal: first.signal });
    }
    if (field.files.length) tell();  // chosen before this script came
    folder?.addEventListener("change", () => put([...folder.files]));
    for (const name of ["dragenter", "dragover"]) sheet.addEventListener(name, (event) => { event.preventDefault(); sheet.classList.add("over"); });
    for (const name of ["dragleave", "drop"]) sheet.addEventListener(name, () => sheet.classList.remove("over"));
    sheet.addEventListener("drop", async (event) => {
      event.preventDefault();
      const entries = [...event.dataTransfer.items].map((item) => item.webkitGetAsEntry()).filter(Boolean);
      if (!entries.some((entry) => entry.isDirectory)) { put([...event.dataTransfer.files]); return; }
      put((await Promise.all(entries.map(filesIn))).flat());
    });
    sheet.addEventListener("sending", () => { sheet.querySelector("[data-send]").textContent = "Reading the files…"; });
  }
});
