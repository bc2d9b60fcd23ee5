// The day's strip: a task dragged along it is worked out anew by the server. The list below does the same by typing.
(() => {
  let held = null;

  const strip = () => document.querySelector("svg[data-day]");
  const inStrip = (event) => {
    const point = new DOMPoint(event.clientX, event.clientY);
    return point.matrixTransform(strip().getScreenCTM().inverse()).x;
  };

  document.addEventListener("pointerdown", (event) => {
    const task = event.target.closest("svg[data-day] [data-task]");
    if (!task) return;
    event.preventDefault();
    held = { task, from: inStrip(event), x: Number(task.querySelector(".hands").getAttribute("x")), by: 0 };
    task.classList.add("dragged");
  });

  document.addEventListener("pointermove", (event) => {
    if (!held) return;
    held.by = inStrip(event) - held.from;
    held.task.setAttribute("transform", `translate(${held.by} 0)`);
  });

  document.addEventListener("pointerup", () => {
    if (!held) return;
    const { task, x, by } = held;
    held = null;
    task.classList.remove("dragged");
    if (Math.abs(by) < 2) {
      task.removeAttribute("transform");
      return;
    }
    const data = strip().dataset;
    const minutes = (x + by - Number(data.left)) / Number(data.perMin);
    const rounded = Math.round((Number(data.low) / 60 + minutes) / 5) * 5;
    const clock = new Intl.DateTimeFormat("en-GB", { hour: "2-digit", minute: "2-digit", timeZone: data.tz });
    const token = document.querySelector("#worked [name=csrf_token]").value;
    const values = { csrf_token: token, [`at:${task.dataset.task}`]: clock.format(new Date(rounded * 60000)) };
    htmx.ajax("POST", data.day, { target: "#worked", swap: "outerHTML", values });
  });
})();
