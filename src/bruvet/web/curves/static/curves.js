// Draws what /curves/data.json says. No rule of the job is here: stalls, figures and events come worked out.
(() => {
  const holder = document.querySelector("[data-chart]");
  if (!holder) return;
  const source = holder.dataset.source;
  const keyBox = document.querySelector("[data-chart-key]");
  const style = getComputedStyle(document.documentElement);
  const paint = (name) => style.getPropertyValue(name).trim();
  const armColour = (letter) => paint(`--${letter.toLowerCase()}`);
  const span = (minute) => {
    const whole = Math.round(Math.abs(minute));
    return `${minute < 0 ? "−" : ""}${Math.floor(whole / 60)}:${String(whole % 60).padStart(2, "0")}`;
  };
  let chart, overview, full;
  let told = false;
  let marking = false;
  // Wide strokes cost most of a redraw: with so many curves all are thin.
  const MANY = 20;
  const view = window.bruvetView;
  let raw = view.read().get("raw") === "1";
  const hidden = new Set((view.read().get("hide") || "").split(".").filter(Boolean));
  const align = holder.dataset.align ? `align=${encodeURIComponent(holder.dataset.align)}&level=${encodeURIComponent(holder.dataset.level)}&` : "";
  const asking = (query = "") => `${source}?${align}${told ? "told=1&" : ""}${raw ? "raw=1&" : ""}${query}`;
  const axisWord = (value) => (overview.by_share ? `${Math.round(value)} %` : span(value));

  const overlay = window.bruvetOverlay({ holder, paint, armColour, overview: () => overview });

  const table = (answer) => [answer.x, ...overview.series.map((s) => (answer.series.find((other) => other.id === s.id) || { values: answer.x.map(() => null) }).values)];

  // The strip comes from the server, laid out for the canvas above it.
  const stripHolder = document.querySelector("[data-strip]");
  let stripAsked = 0;
  const alignStrip = () => {
    if (!stripHolder) return;
    stripAsked += 1;
    const mine = stripAsked;
    setTimeout(async () => {
      if (mine !== stripAsked || !chart) return;
      const box = chart.over.getBoundingClientRect();
      const frame = holder.getBoundingClientRect();
      const { min, max } = chart.scales.x;
      const query = new URLSearchParams({ width: frame.width, left: box.left - frame.left, right: frame.right - box.right, from: min, to: max });
      const answer = await fetch(`${stripHolder.dataset.source}?${query}`);
      if (!answer.ok || mine !== stripAsked) return;
      stripHolder.innerHTML = await answer.text();
      stripHolder.dataset.aligned = "1";
      markStrip();
    }, 120);
  };

  // The marked stretch over the strip, in the canvas's own pixels.
  const markStrip = () => {
    if (!stripHolder || !chart) return;
    stripHolder.querySelectorAll(".strip-marked").forEach((old) => old.remove());
    const frame = stripHolder.getBoundingClientRect();
    const over = chart.over.getBoundingClientRect();
    const lanes = stripHolder.querySelector("svg.strip").getBoundingClientRect();
    (holder.bruvetMarked || []).forEach((row) => {
      const [left, right] = row.x.map((value) => Math.min(over.width, Math.max(0, chart.valToPos(value, "x"))));
      const mark = document.createElement("span");
      mark.className = `strip-marked arm-${row.letter}`;
      mark.style.left = `${over.left - frame.left + left}px`;
      mark.style.width = `${Math.max(right - left, 1)}px`;
      mark.style.height = `${lanes.height}px`;
      stripHolder.append(mark);
    });
  };
  holder.addEventListener("bruvet:marked", () => { if (chart) chart.redraw(false); markStrip(); });
  holder.addEventListener("bruvet:marking", (event) => { marking = event.detail; if (chart) chart.cursor.drag.setScale = !marking; });

  let asked = 0;
  const refine = () => {
    const { min, max } = chart.scales.x;
    asked += 1;
    const mine = asked;
    const whole = min <= full[0] + 0.01 && max >= full[1] - 0.01;
    setTimeout(async () => {
      if (mine !== asked || !chart) return;
      view.set(whole ? { from: null, to: null } : { from: min.toFixed(2), to: max.toFixed(2) });
      const answer = whole ? overview : await (await fetch(asking(`from=${min}&to=${max}`))).json();
      if (mine !== asked || !chart) return;
      chart.setData(table(answer), false);
      chart.redraw();
    }, 180);
  };

  const showValues = (u) => {
    const n = u.cursor.idx;
    const at = keyBox.querySelector("[data-at]");
    overview.series.forEach((s, i) => {
      if (s.told) return;
      const output = keyBox.querySelector(`[data-value="${i}"]`);
      const value = n === null || n === undefined ? null : u.data[i + 1][n];
      output.textContent = value === null || value === undefined ? "" : `${value.toFixed(1)}${overview.degree}`;
    });
    if (n === null || n === undefined) { at.textContent = ""; return; }
    const minute = u.data[0][n];
    const clocks = Object.entries(overview.zeros).map(([arm, zero]) => {
      const moment = new Date(Date.parse(zero) + minute * 60000);
      return `${arm} ${moment.toLocaleTimeString("en-GB", { hour: "2-digit", minute: "2-digit", timeZone: overview.tz })}`;
    });
    at.textContent = `${span(minute)} in (${clocks.join(", ")})`;
  };

  const buildKey = () => {
    const when = document.createElement("span");
    when.className = "chart-at";
    when.dataset.at = "";
    keyBox.replaceChildren();
    overview.series.forEach((s, i) => {
      if (s.told) return;
      const button = document.createElement("button");
      button.type = "button";
      button.setAttribute("aria-pressed", String(!hidden.has(String(s.id))));
      // The arm's letter hides and shows its meat, with shift its pit; further probes have the mouse only.
      const key = s.pit ? s.arm : s.arm.toLowerCase();
      if (!keyBox.querySelector(`[data-key="${key}"]`)) {
        button.dataset.key = key;
        button.dataset.keyName = `Hide or show ${s.label}`;
      }
      const line = document.createElementNS("http://www.w3.org/2000/svg", "svg");
      line.setAttribute("viewBox", "0 0 30 8");
      line.setAttribute("class", "line");
      const path = document.createElementNS("http://www.w3.org/2000/svg", "path");
      path.setAttribute("d", "M0 4H30");
      path.setAttribute("stroke", armColour(s.arm));
      path.setAttribute("stroke-width", s.pit ? "1.3" : "3");
      path.setAttribute("stroke-dasharray", s.dash.join(" "));
      line.append(path);
      const name = document.createElement("span");
      name.textContent = s.label;
      const value = document.createElement("output");
      value.dataset.value = i;
      button.append(line, name, value);
      button.addEventListener("click", () => {
        const show = button.getAttribute("aria-pressed") !== "true";
        button.setAttribute("aria-pressed", String(show));
        chart.setSeries(i + 1, { show });
        hidden[show ? "delete" : "add"](String(s.id));
        view.set({ hide: [...hidden].join(".") });
        if (!s.pit) overview.series.forEach((other, n) => { if (other.told && other.arm === s.arm) chart.setSeries(n + 1, { show }); });
      });
      keyBox.append(button);
    });
    keyBox.append(when);
  };

  const zoom = (factor) => {
    const { min, max } = chart.scales.x;
    const middle = chart.cursor.idx != null ? chart.data[0][chart.cursor.idx] : (min + max) / 2;
    const low = Math.max(full[0], middle - (middle - min) * factor);
    const high = Math.min(full[1], middle + (max - middle) * factor);
    if (high - low > 2) chart.setScale("x", { min: low, max: high });
  };

  // Between the bounds of a forecast lies its band, in the arm's colour.
  const bands = () => overview.series.flatMap((s, i) => (s.told === "high" ? [{ series: [i + 1, i + 2], fill: `${armColour(s.arm)}2a` }] : []));
  const line = (s) => ({
    label: s.label,
    stroke: s.told && s.told !== "middle" ? `${armColour(s.arm)}55` : armColour(s.arm),
    width: s.told ? (s.told === "middle" ? 1.6 : 0.8) : s.pit || overview.series.length > MANY ? 1 : 2.6,
    show: !hidden.has(String(s.id)),
    dash: s.told && s.told !== "middle" ? [] : s.dash,
    spanGaps: told || (overview.x.length > 0 && s.values.filter((v) => v !== null).length < overview.x.length * 0.7),
    points: { show: false },
  });

  const toldButton = document.querySelector("[data-told-button]");
  const toldWords = document.querySelector("[data-told-words]");
  toldButton.addEventListener("click", async () => {
    told = !told;
    toldButton.setAttribute("aria-pressed", String(told));
    toldButton.disabled = true;
    chart.destroy();
    chart = null;
    delete holder.dataset.ready;
    if (stripHolder) delete stripHolder.dataset.aligned;
    await draw();
    toldButton.disabled = false;
    toldWords.hidden = !(overview.told && overview.told.length);
    toldWords.textContent = toldWords.hidden ? "" : `Told before the cook: ${overview.told.join(" ")}`;
    alignStrip();
  });

  const selected = (u) => {
    if (!marking || u.select.width < 4) return;
    const ends = [u.posToVal(u.select.left, "x"), u.posToVal(u.select.left + u.select.width, "x")];
    u.setSelect({ left: 0, width: 0, top: 0, height: 0 }, false);
    holder.dispatchEvent(new CustomEvent("bruvet:drag", { detail: ends }));
  };

  // The canvas as a file: white paper, the title, the key, the curves.
  const png = document.querySelector("[data-png]");
  png.addEventListener("click", () => {
    if (!chart) return;
    const from = holder.querySelector("canvas");
    const dpr = devicePixelRatio;
    const head = 56 * dpr;
    const sheet = document.createElement("canvas");
    sheet.width = from.width;
    sheet.height = from.height + head;
    const c = sheet.getContext("2d");
    c.fillStyle = paint("--sheet");
    c.fillRect(0, 0, sheet.width, sheet.height);
    c.fillStyle = paint("--ink");
    c.font = `700 ${17 * dpr}px "Atkinson Next", sans-serif`;
    c.fillText(holder.dataset.title, 12 * dpr, 22 * dpr);
    c.font = `${12 * dpr}px "Atkinson Next", sans-serif`;
    let x = 12 * dpr;
    overview.series.forEach((s, i) => {
      if (s.told || !chart.series[i + 1].show) return;
      c.strokeStyle = armColour(s.arm);
      c.lineWidth = (s.pit ? 1.2 : 2.6) * dpr;
      c.setLineDash(s.dash.map((d) => d * dpr));
      c.beginPath(); c.moveTo(x, 40 * dpr); c.lineTo(x + 30 * dpr, 40 * dpr); c.stroke();
      c.setLineDash([]);
      c.fillText(s.label, x + 36 * dpr, 44 * dpr);
      x += 52 * dpr + c.measureText(s.label).width;
    });
    c.drawImage(from, 0, head);
    sheet.toBlob((blob) => {
      const link = document.createElement("a");
      link.href = URL.createObjectURL(blob);
      link.download = "curves.png";
      link.click();
      setTimeout(() => URL.revokeObjectURL(link.href), 5000);
    }, "image/png");
  });

  const rawButton = document.querySelector("[data-raw-button]");
  rawButton.setAttribute("aria-pressed", String(raw));
  rawButton.addEventListener("click", async () => {
    raw = !raw;
    rawButton.setAttribute("aria-pressed", String(raw));
    view.set({ raw: raw ? "1" : null });
    chart.destroy();
    chart = null;
    delete holder.dataset.ready;
    await draw();
  });

  const draw = async () => {
    overview = await (await fetch(asking())).json();
    if (!overview.series.length) {
      holder.textContent = "No readings to draw.";
      document.dispatchEvent(new CustomEvent("bruvet:drawn"));
      return;
    }
    full = [Math.min(0, overview.x[0]), overview.x[overview.x.length - 1]];
    holder.dataset.degree = overview.degree;
    const part = view.pair("from", "to");
    const axis = { stroke: paint("--soft"), grid: { stroke: paint("--line"), width: 1 }, ticks: { stroke: paint("--line") }, font: '12px "Atkinson Next", sans-serif' };
    const options = {
      width: holder.clientWidth,
      height: 400,
      padding: [38, 20, 0, 0],
      scales: { x: { time: false, range: (u, min, max) => [min, max] } },
      axes: [
        { ...axis, values: (u, ticks) => ticks.map(axisWord), incrs: overview.by_share ? [1, 2, 5, 10, 20, 25, 50] : [1, 2, 5, 10, 15, 30, 60, 120, 180, 240, 360] },
        { ...axis, values: (u, ticks) => ticks.map((t) => `${t}${overview.degree}`), size: 62 },
      ],
      cursor: { drag: { x: true, y: false, dist: 6, setScale: !marking }, points: { size: 7 } },
      legend: { show: false },
      series: [{}, ...overview.series.map(line)],
      bands: bands(),
      hooks: { drawAxes: [overlay.under], draw: [overlay.over], setCursor: [showValues], setSelect: [selected], setScale: [(u, key) => { if (key === "x" && chart) { refine(); alignStrip(); } }] },
    };
    buildKey();
    chart = new uPlot(options, table(overview), holder);
    if (part) chart.setScale("x", { min: Math.max(part[0], full[0]), max: Math.min(part[1], full[1]) });
    holder.dataset.ready = "1";
    toldButton.hidden = overview.by_share;
    rawButton.hidden = false;
    png.hidden = false;
    document.dispatchEvent(new CustomEvent("bruvet:drawn"));
    const when = document.querySelector(".event-form [name=when]");
    chart.over.addEventListener("click", () => {
      if (chart.cursor.idx == null || !when) return;
      const minute = chart.data[0][chart.cursor.idx];
      when.value = minute < 0 ? `-${span(-minute)}` : `+${span(minute)}`;
      when.focus({ preventScroll: true });
    });
  };

  const start = async () => {
    await draw();
    if (!chart) return;
    document.querySelector("[data-chart-hint]").hidden = false;
    for (const button of document.querySelectorAll("[data-zoom]")) {
      button.hidden = false;
      button.addEventListener("click", () => {
        if (button.dataset.zoom === "all") chart.setScale("x", { min: full[0], max: full[1] });
        else zoom(button.dataset.zoom === "in" ? 0.5 : 2);
      });
    }
    new ResizeObserver(() => { if (!chart) return; chart.setSize({ width: holder.clientWidth, height: 400 }); alignStrip(); }).observe(holder);
  };
  document.fonts.ready.then(start);
})();
