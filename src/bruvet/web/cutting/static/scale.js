// Two clicks on a photo and the length between them give the millimetres that the whole photo spans.
(() => {
  document.querySelectorAll("[data-scale-how]").forEach((words) => { words.hidden = false; });
  document.querySelectorAll("[data-scaled]").forEach((image) => {
    const form = image.parentElement.querySelector("form");
    const known = form.querySelector("[data-known]");
    const clicks = [];
    const fill = () => {
      const length = Number(known.value.replace(",", "."));
      if (clicks.length < 2 || !(length > 0)) return;
      const share = Math.hypot(clicks[1][0] - clicks[0][0], clicks[1][1] - clicks[0][1]) / image.clientWidth;
      if (share > 0.01) form.elements.spans.value = (length / share).toFixed(1);
    };
    image.classList.add("to-click");
    image.addEventListener("click", (event) => {
      if (clicks.length === 2) clicks.length = 0;
      clicks.push([event.offsetX, event.offsetY]);
      if (clicks.length === 2) {
        known.closest(".known").hidden = false;
        known.focus();
        fill();
      }
    });
    known.addEventListener("input", fill);
  });
})();
