// A stretch marked on one chart is marked on all of them, on the strip, and told in the table. The server says where it is.
(() => {
  const view = window.bruvetView;
  const holder = document.querySelector("[data-chart]");
  const told = document.querySelector("[data-marked]");
  const button = document.querySelector("[data-mark-button]");
  if (!holder || !told) return;
  const FEW = 3;
  const svgNs = "http://www.w3.org/2000/svg";
  const number = (row, name) => (name in row.dataset ? Number(row.dataset[name]) : NaN);
  const rows = () => [...told.querySelectorAll("[data-letter]")].map((row) => ({
    letter: row.dataset.letter,
    x: [number(row, "fromX"), number(row, "toX")],
    time: [number(row, "fromMin"), number(row, "toMin")],
    temp: [number(row, "fromC"), number(row, "toC")].sort((a, b) => a - b),
    pit: [number(row, "pitLow"), number(row, "pitHigh")],
  })).filter((row) => row.x.every(Number.isFinite));

  const onPicture = (svg, found) => {
    svg.querySelectorAll(".marked").forEach((old) => old.remove());
    const [low, high, left, right, top, foot] = ["low", "high", "left", "right", "top", "foot"].map((name) => Number(svg.dataset[name]));
    const letters = svg.dataset.letters;
    const kind = svg.dataset.brushed;
    // A difference runs on the first piece's own time.
    const mine = svg.closest("[data-picture='minus']") ? found.slice(0, 1) : found.filter((row) => letters.includes(row.letter));
    // What lies at the same place is drawn once, and many shades over one another stay thin enough to see through.
    const drawn = new Set();
    mine.forEach((row) => {
      const ends = row[kind] || [NaN, NaN];
      const place = ends.map((value) => value.toFixed(2)).join(" ");
      if (!ends.every(Number.isFinite) || (drawn.has(place) && mine.length > FEW)) return;
      drawn.add(place);
      const [from, to] = ends.map((value) => Math.min(right, Math.max(left, left + ((value - low) / (high - low)) * (right - left))));
      const rect = document.createElementNS(svgNs, "rect");
      rect.setAttribute("class", `marked arm-line-${row.letter}`);
      rect.setAttribute("x", from);
      rect.setAttribute("width", Math.max(to - from, 1.5));
      rect.setAttribute("y", top);
      rect.setAttribute("height", foot - top);
      if (mine.length > FEW) rect.style.opacity = 0.6 / mine.length;
      svg.prepend(rect);
    });
  };
  const show = () => {
    const found = rows();
    holder.bruvetMarked = found;
    document.querySelectorAll("svg[data-brushed]").forEach((svg) => onPicture(svg, found));
    holder.dispatchEvent(new CustomEvent("bruvet:marked"));
  };
  const ask = async () => {
    const query = view.read();
    const answer = await fetch(`${told.dataset.source}?${query}`);
    if (answer.ok) told.innerHTML = await answer.text();
    const ends = view.pair("bt", "et");
    document.querySelector("#bt").value = ends ? query.get("bt") : "";
    document.querySelector("#et").value = ends ? query.get("et") : "";
    show();
  };
  const mark = (changes) => {
    view.set({ b: null, e: null, bt: null, et: null, ...changes });
    ask();
  };
  holder.addEventListener("bruvet:drag", (event) => mark({ b: event.detail[0].toFixed(2), e: event.detail[1].toFixed(2) }));
  document.querySelector("[data-mark-form]").addEventListener("submit", (event) => {
    event.preventDefault();
    const [low, high] = ["#bt", "#et"].map((name) => document.querySelector(name).value.replace(",", "."));
    mark({ bt: low, et: high });
  });
  document.addEventListener("click", (event) => {
    if (!event.target.closest("[data-unmark]")) return;
    event.preventDefault();
    mark({});
  });

  // Pictures are dragged over as they are: their axis says what is marked.
  const celsius = () => holder.dataset.degree !== "°F";
  const shown = (tempC) => (celsius() ? tempC : tempC * 1.8 + 32);
  let drag = null;
  document.addEventListener("pointerdown", (event) => {
    const svg = event.target.closest && event.target.closest("svg[data-brushed]");
    if (!svg || !["time", "temp"].includes(svg.dataset.brushed) || event.button !== 0) return;
    drag = { svg, from: event.clientX };
    event.preventDefault();
  });
  document.addEventListener("pointerup", (event) => {
    if (!drag) return;
    const { svg, from } = drag;
    drag = null;
    if (Math.abs(event.clientX - from) < 6) return;
    const box = svg.getBoundingClientRect();
    const { low, high, left, right } = svg.dataset;
    const scale = svg.viewBox.baseVal.width / box.width;
    const [a, b] = [from, event.clientX].sort((x, y) => x - y).map((x) => {
      const share = ((x - box.left) * scale - Number(left)) / (Number(right) - Number(left));
      return Number(low) + Math.min(1, Math.max(0, share)) * (Number(high) - Number(low));
    });
    if (svg.dataset.brushed === "temp") mark({ bt: shown(a).toFixed(1), et: shown(b).toFixed(1) });
    else mark({ b: a.toFixed(2), e: b.toFixed(2) });
  });

  button.addEventListener("click", () => {
    const on = button.getAttribute("aria-pressed") !== "true";
    button.setAttribute("aria-pressed", String(on));
    holder.dispatchEvent(new CustomEvent("bruvet:marking", { detail: on }));
  });
  document.addEventListener("htmx:afterSettle", show);
  document.addEventListener("bruvet:drawn", () => { button.hidden = false; show(); });
})();
