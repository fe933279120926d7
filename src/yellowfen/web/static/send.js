// Forms that send themselves when a choice changes; the button stays for those without a script.

document.addEventListener("DOMContentLoaded", () => {
  const choices = "select, input[type=radio], input[type=checkbox]";
  const chosen = (field) => {
    if (!field.matches("select")) return field.checked !== field.defaultChecked;
    const sent = [...field.options].findIndex((option) => option.defaultSelected);
    return field.selectedIndex !== Math.max(sent, 0);
  };
  // Choices made while this script was still on its way count too; those that Back or Reload put in again do not.
  const fresh = performance.getEntriesByType("navigation")[0]?.type === "navigate";
  for (const form of document.querySelectorAll("form[data-send-on-change]")) {
    form.addEventListener("change", (event) => { if (event.target.matches(choices)) form.requestSubmit(); });
    if (fresh && [...form.querySelectorAll(choices)].some(chosen)) form.requestSubmit();
  }
});
