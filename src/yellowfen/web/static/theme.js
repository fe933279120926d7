// Light ground by day, dark for the microscope bench; remembered on this device.
(() => {
  const kept = localStorage.getItem("yellowfen-theme");
  if (kept === "dark") document.documentElement.dataset.theme = "dark";
  document.addEventListener("DOMContentLoaded", () => {
    const button = document.querySelector("[data-theme-switch]");
    if (!button) return;
    const say = () => { button.textContent = document.documentElement.dataset.theme === "dark" ? "Day" : "Dim"; };
    say();
    button.addEventListener("click", () => {
      const dark = document.documentElement.dataset.theme !== "dark";
      if (dark) document.documentElement.dataset.theme = "dark"; else delete document.documentElement.dataset.theme;
      localStorage.setItem("yellowfen-theme", dark ? "dark" : "light");
      say();
    });
  });
})();
