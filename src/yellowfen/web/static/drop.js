// Dropping files anywhere on the sheet puts them into its file field.
"use strict";
document.addEventListener("DOMContentLoaded", () => {
  const sheet = document.querySelector("[data-drop]");
  const field = sheet.querySelector("[data-files]");
  const said = sheet.querySelector("[data-chosen]");
  const tell = () => {
    const names = [...field.files].map((file) => file.name);
    said.textContent = names.length ? `${names.length} file${names.length > 1 ? "s" : ""}: ${names.slice(0, 6).join(", ")}${names.length > 6 ? " and more" : ""}` : "Nothing chosen yet.";
  };
  field.addEventListener("change", tell);
  for (const name of ["dragenter", "dragover"]) sheet.addEventListener(name, (event) => { event.preventDefault(); sheet.classList.add("over"); });
  for (const name of ["dragleave", "drop"]) sheet.addEventListener(name, () => sheet.classList.remove("over"));
  sheet.addEventListener("drop", (event) => { event.preventDefault(); field.files = event.dataTransfer.files; tell(); });
  sheet.addEventListener("submit", () => { sheet.querySelector("[data-send]").textContent = "Reading the files…"; });
});
