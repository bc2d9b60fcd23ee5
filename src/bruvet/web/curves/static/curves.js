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

  const trace = (context, marker, x, y, r) => {
    context.beginPath();
    if (marker === "square") context.rect(x - r, y - r, 2 * r, 2 * r);
    else if (marker === "triangle") { context.moveTo(x, y - 1.2 * r); context.lineTo(x + 1.1 * r, y + r); context.lineTo(x - 1.1 * r, y + r); context.closePath(); }
    else if (marker === "diamond") { context.moveTo(x, y - 1.3 * r); context.lineTo(x + 1.3 * r, y); context.lineTo(x, y + 1.3 * r); context.lineTo(x - 1.3 * r, y); context.closePath(); }
    else if (marker === "cross") { context.rect(x - r / 2, y - r, r, 2 * r); context.rect(x - r, y - r / 2, 2 * r, r); }
    else if (marker === "hexagon") { for (let i = 0; i < 6; i += 1) context.lineTo(x + r * 1.1 * Math.cos((i * Math.PI) / 3), y + r * 1.1 * Math.sin((i * Math.PI) / 3)); context.closePath(); }
    else if (marker === "wedge") { context.moveTo(x, y + 1.2 * r); context.lineTo(x + 1.1 * r, y - r); context.lineTo(x - 1.1 * r, y - r); context.closePath(); }
    else if (marker === "pill") context.ellipse(x, y, 1.3 * r, 0.75 * r, 0, 0, 2 * Math.PI);
    else context.arc(x, y, r, 0, 2 * Math.PI);
  };

  const visibleArms = (u) => new Set(overview.series.filter((s, i) => u.series[i + 1].show && !s.pit && !s.told).map((s) => s.arm));

  const drawUnder = (u) => {
    const { ctx: c, bbox } = u;
    const arms = visibleArms(u);
    c.save();
    c.beginPath();
    c.rect(bbox.left, bbox.top, bbox.width, bbox.height);
    c.clip();
    overview.stalls.filter((s) => arms.has(s.arm)).forEach((stall) => {
      const left = u.valToPos(stall.from, "x", true);
      const right = u.valToPos(stall.to, "x", true);
      c.globalAlpha = 0.13;
      c.fillStyle = armColour(stall.arm);
      c.fillRect(left, bbox.top, right - left, bbox.height);
      c.globalAlpha = 1;
      c.font = `${12 * devicePixelRatio}px "Atkinson Next", sans-serif`;
      c.textAlign = "left";
      c.fillText(`stall ${stall.arm}`, left + 4 * devicePixelRatio, bbox.top + bbox.height - (6 + 15 * (stall.arm.charCodeAt(0) - 65)) * devicePixelRatio);
    });
    // Where a lid was open the pit's dip is the lid's.
    c.globalAlpha = 1;
    overview.lids.filter((l) => arms.has(l.arm)).forEach((lid) => {
      const left = u.valToPos(lid.from, "x", true);
      const right = u.valToPos(lid.to, "x", true);
      c.fillStyle = armColour(lid.arm);
      c.fillRect(left, bbox.top + bbox.height - 3 * devicePixelRatio, Math.max(right - left, 2), 3 * devicePixelRatio);
    });
    (holder.bruvetMarked || []).forEach((row) => {
      const [left, right] = row.x.map((value) => u.valToPos(value, "x", true));
      c.globalAlpha = 0.12;
      c.fillStyle = armColour(row.letter);
      c.fillRect(left, bbox.top, right - left, bbox.height);
      c.globalAlpha = 1;
      c.strokeStyle = armColour(row.letter);
      c.setLineDash([4, 3]);
      c.strokeRect(left, bbox.top, right - left, bbox.height);
      c.setLineDash([]);
    });
    c.restore();
  };

  const drawOver = (u) => {
    const { ctx: c, bbox } = u;
    const arms = visibleArms(u);
    const dpr = devicePixelRatio;
    c.save();
    c.beginPath();
    c.rect(bbox.left - 9 * dpr, bbox.top - 40 * dpr, bbox.width + 18 * dpr, bbox.height + 40 * dpr);
    c.clip();
    c.font = `700 ${11 * dpr}px "Atkinson Next", sans-serif`;
    c.textAlign = "center";
    c.textBaseline = "middle";
    const heavy = ["M", "W", "U", "X", "P"];
    const shown = overview.events.filter((e) => arms.has(e.arm));
    // Lines first; then letters, what changes the cook before what only visits it, where there is room.
    shown.forEach((event) => {
      const x = u.valToPos(event.at, "x", true);
      c.strokeStyle = armColour(event.arm);
      c.lineWidth = dpr;
      c.setLineDash(heavy.includes(event.mark) ? [] : [1, 5]);
      c.beginPath();
      c.moveTo(x, bbox.top);
      c.lineTo(x, bbox.top + bbox.height);
      c.stroke();
    });
    c.setLineDash([]);
    const taken = [];
    [...shown].sort((a, b) => heavy.includes(b.mark) - heavy.includes(a.mark) || a.at - b.at).forEach((event) => {
      const x = u.valToPos(event.at, "x", true);
      const y = bbox.top - (9 + 17 * Math.min(event.arm.charCodeAt(0) - 65, 1)) * dpr;
      if (taken.some((other) => other.y === y && Math.abs(other.x - x) < 15 * dpr)) return;
      taken.push({ x, y });
      c.strokeStyle = armColour(event.arm);
      c.fillStyle = paint("--sheet");
      c.beginPath();
      c.arc(x, y, 7.5 * dpr, 0, 2 * Math.PI);
      c.fill();
      c.stroke();
      c.fillStyle = armColour(event.arm);
      c.fillText(event.mark, x, y + 0.5 * dpr);
    });
    // Each internal curve carries its arm's marker and letter, so that colour is never needed.
    overview.series.forEach((s, i) => {
      if (!u.series[i + 1].show || s.pit || s.told) return;
      const values = u.data[i + 1];
      const [from, to] = [u.valToIdx(u.scales.x.min), u.valToIdx(u.scales.x.max)];
      let [first, last] = [from, to];
      while (first < to && values[first] == null) first += 1;
      while (last > from && values[last] == null) last -= 1;
      if (first >= last) return;
      [0.3, 0.62, 0.94].forEach((share, place) => {
        let n = Math.round(first + share * (last - first));
        while (n < last && values[n] == null) n += 1;
        const x = u.valToPos(u.data[0][n], "x", true);
        const y = u.valToPos(values[n], "y", true);
        c.fillStyle = armColour(s.arm);
        trace(c, s.marker, x, y, (place === 1 ? 8 : 4.5) * dpr);
        c.fill();
        if (place === 1) { c.fillStyle = paint("--on-arm"); c.fillText(s.arm, x, y + (s.marker === "triangle" ? 2 : 0.5) * dpr); }
      });
    });
    (overview.aside || []).filter((a) => arms.has(a.arm)).forEach((a) => {
      const x = u.valToPos(a.at, "x", true);
      const y = u.valToPos(a.temp, "y", true);
      c.strokeStyle = armColour(a.arm);
      c.lineWidth = dpr;
      c.beginPath();
      c.moveTo(x - 3 * dpr, y - 3 * dpr); c.lineTo(x + 3 * dpr, y + 3 * dpr);
      c.moveTo(x + 3 * dpr, y - 3 * dpr); c.lineTo(x - 3 * dpr, y + 3 * dpr);
      c.stroke();
    });
    overview.spots.filter((s) => arms.has(s.arm)).forEach((spot) => {
      c.strokeStyle = armColour(spot.arm);
      c.lineWidth = 2 * dpr;
      c.beginPath();
      c.arc(u.valToPos(spot.at, "x", true), u.valToPos(spot.temp, "y", true), 4.5 * dpr, 0, 2 * Math.PI);
      c.stroke();
    });
    c.restore();
  };

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
    (holder.bruvetMarked || []).forEach((row) => {
      const [left, right] = row.x.map((value) => Math.min(over.width, Math.max(0, chart.valToPos(value, "x"))));
      const mark = document.createElement("span");
      mark.className = `strip-marked arm-${row.letter}`;
      mark.style.left = `${over.left - frame.left + left}px`;
      mark.style.width = `${Math.max(right - left, 1)}px`;
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
    view.set(whole ? { from: null, to: null } : { from: min.toFixed(2), to: max.toFixed(2) });
    setTimeout(async () => {
      if (mine !== asked || !chart) return;
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
    if (!overview.series.length) { holder.textContent = "No readings to draw."; return; }
    full = [Math.min(0, overview.x[0]), overview.x[overview.x.length - 1]];
    holder.dataset.degree = overview.degree;
    const part = view.pair("from", "to");
    const axis = { stroke: paint("--soft"), grid: { stroke: paint("--line"), width: 1 }, ticks: { stroke: paint("--line") }, font: '12px "Atkinson Next", sans-serif' };
    const options = {
      width: holder.clientWidth,
      height: 400,
      padding: [38, 8, 0, 0],
      scales: { x: { time: false, range: (u, min, max) => [min, max] } },
      axes: [
        { ...axis, values: (u, ticks) => ticks.map(axisWord), incrs: overview.by_share ? [1, 2, 5, 10, 20, 25, 50] : [1, 2, 5, 10, 15, 30, 60, 120, 180, 240, 360] },
        { ...axis, values: (u, ticks) => ticks.map((t) => `${t}${overview.degree}`), size: 62 },
      ],
      cursor: { drag: { x: true, y: false, dist: 6, setScale: !marking }, points: { size: 7 } },
      legend: { show: false },
      series: [{}, ...overview.series.map(line)],
      bands: bands(),
      hooks: { drawAxes: [drawUnder], draw: [drawOver], setCursor: [showValues], setSelect: [selected], setScale: [(u, key) => { if (key === "x" && chart) { refine(); alignStrip(); } }] },
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
