// Forms that send themselves when a choice changes; the button stays for those without a script.
"use strict";

document.addEventListener("DOMContentLoaded", () => {
  for (const form of document.querySelectorAll("form[data-send-on-change]")) {
    form.addEventListener("change", (event) => { if (event.target.matches("select, input[type=radio], input[type=checkbox]")) form.requestSubmit(); });
  }
});
