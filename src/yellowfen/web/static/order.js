// Exceptions by dragging: a part dropped on another is placed right after it; the rest is ordered anew round it.

document.addEventListener("DOMContentLoaded", () => {
  const form = document.querySelector("form[data-wish]");
  let carried = null;
  for (const item of document.querySelectorAll(".order-list li")) {
    item.addEventListener("dragstart", (event) => { carried = item; event.dataTransfer.effectAllowed = "move"; event.dataTransfer.setData("text/plain", item.dataset.ref); });
    item.addEventListener("dragover", (event) => { if (carried && carried !== item) { event.preventDefault(); item.classList.add("over"); } });
    item.addEventListener("dragleave", () => item.classList.remove("over"));
    item.addEventListener("dragend", () => { carried = null; });
    item.addEventListener("drop", (event) => {
      event.preventDefault();
      if (!carried || carried === item) return;
      form.elements.ref.value = carried.dataset.ref;
      form.elements.after.value = item.dataset.ref;
      form.submit();
    });
  }
});
