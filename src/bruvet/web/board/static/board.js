// The board: patches texts, sends what was tapped, and keeps it while the yard is offline. Every judgement comes worked out from the server.
(() => {
  const board = document.querySelector("[data-board]");
  if (!board) return;
  const data = board.dataset;
  const token = document.querySelector("meta[name=csrf]").content;
  const key = `bruvet.log.${data.trial}`;
  const state = board.querySelector("[data-state]");
  const pad = board.querySelector("[data-pad]");
  const toast = board.querySelector("[data-toast]");
  const clock = new Intl.DateTimeFormat("en-GB", { hour: "2-digit", minute: "2-digit", timeZone: data.tz });
  let version = "", made = null, reached = true, lastId = null, curveAt = null, signedOut = false;
  const known = new Set();

  // ---- entries that wait ----------------------------------------------------------------------------
  const waiting = () => {
    try { return JSON.parse(localStorage.getItem(key) || "[]"); } catch { return []; }
  };
  const keepWaiting = (list) => localStorage.setItem(key, JSON.stringify(list));
  const newId = () => {
    const bytes = crypto.getRandomValues(new Uint8Array(12));
    return [...bytes].map((byte) => byte.toString(16).padStart(2, "0")).join("");
  };

  let sending = false;
  const flush = async () => {
    const list = waiting();
    if (!list.length || sending) return;
    sending = true;
    try {
      const answer = await fetch(data.log, {
        method: "POST", redirect: "manual",
        headers: { "Content-Type": "application/json", "X-CSRFToken": token },
        body: JSON.stringify({ entries: list.slice(0, 50) }),
      });
      if (answer.type === "opaqueredirect" || answer.status === 400) { signedOut = true; return; }
      if (!answer.ok) return;
      signedOut = false;
      const said = await answer.json();
      const settled = new Set([...said.kept, ...said.refused].map((one) => one.id));
      keepWaiting(waiting().filter((one) => !settled.has(one.id)));
      const also = said.kept.find((one) => one.also);
      if (also) show(also.also);
      if (said.refused.length) show(`Not kept: ${said.refused[0].why}`);
      poll();
    } catch { reached = false; } finally { sending = false; tell(); }
  };

  const show = (words, undoable = null) => {
    lastId = undoable;
    toast.querySelector("span").textContent = words;
    toast.querySelector("[data-undo-last]").hidden = !undoable;
    toast.hidden = false;
    clearTimeout(show.timer);
    show.timer = setTimeout(() => { toast.hidden = true; }, undoable ? 20000 : 8000);
  };

  toast.querySelector("[data-undo-last]").addEventListener("click", async () => {
    const id = lastId;
    const list = waiting();
    if (list.some((one) => one.id === id)) {
      keepWaiting(list.filter((one) => one.id !== id));
      show("Taken back.");
      return tell();
    }
    try {
      const answer = await fetch(data.undo, { method: "POST", headers: { "Content-Type": "application/json", "X-CSRFToken": token }, body: JSON.stringify({ id }) });
      show((await answer.json()).undone ? "Taken back." : "There was nothing to take back.");
      poll();
    } catch { show("The yard is offline; correct it on the record later."); }
  });

  // ---- one tap --------------------------------------------------------------------------------------
  const arms = () => [...pad.querySelectorAll("[name=arms]")].map((box) => box.value);
  const chosen = () => {
    const on = [...pad.querySelectorAll("[name=arms]:checked")].map((box) => box.value);
    return on.length ? on : arms();
  };
  const moment = () => {
    const ago = pad.querySelector("[name=ago]:checked").value;
    return ago === "curve" && curveAt ? curveAt : new Date(Date.now() - Number(ago === "curve" ? 0 : ago) * 60000);
  };

  const put = (kind, more = {}, only = null) => {
    const label = pad.querySelector(`[data-act="${kind}"]`).textContent.trim().slice(1).trim();
    const entry = { id: newId(), kind, arms: only || chosen(), at: moment().toISOString(), ...more };
    keepWaiting([...waiting(), entry]);
    show(`${label} ${entry.arms.join("")} at ${clock.format(new Date(entry.at))}`, entry.id);
    pad.querySelector("[name=ago][value='0']").checked = true;
    tell();
    flush();
  };

  const dialogDone = (dialog) => new Promise((done) => dialog.addEventListener("close", () => done(dialog.returnValue), { once: true }));

  const keypad = async (title) => {
    const dialog = board.querySelector("[data-keypad]");
    const value = dialog.querySelector("[data-keypad-value]");
    dialog.querySelector("[data-keypad-title]").textContent = title;
    value.textContent = "–";
    dialog.returnValue = "";
    dialog.showModal();
    return (await dialogDone(dialog)) === "keep" && /^\d+$/.test(value.textContent) ? Number(value.textContent) : null;
  };
  board.querySelectorAll("[data-digit]").forEach((button) => button.addEventListener("click", () => {
    const value = board.querySelector("[data-keypad-value]");
    const digits = value.textContent.replace(/\D/g, "");
    value.textContent = (button.dataset.digit === "back" ? digits.slice(0, -1) : (digits + button.dataset.digit).slice(0, 4)) || "–";
  }));
  board.querySelector("[data-keypad]").addEventListener("keydown", (event) => {
    const button = board.querySelector(`[data-digit="${event.key === "Backspace" ? "back" : event.key}"]`);
    if (button) { event.preventDefault(); button.click(); }
  });

  const look = async (only) => {
    const dialog = board.querySelector("[data-look-dialog]");
    const letters = only || chosen();
    const names = (board.querySelector(`[data-spot-names] [data-letter="${letters[0]}"]`)?.textContent || "").split("|");
    const spots = names.map((place) => ({ place, temp: null, feel: "" }));
    let current = -1;
    dialog.querySelector("[data-look-arms]").textContent = letters.join("");
    dialog.querySelectorAll("input").forEach((input) => { input.checked = false; });
    dialog.querySelector("[data-feel]").hidden = true;
    const groups = [...dialog.querySelectorAll("[data-spot]")];
    const paint = () => groups.forEach((group, i) => {
      const [first, second] = group.querySelectorAll("text");
      first.textContent = spots[i].temp ? `${spots[i].temp}°` : spots[i].feel ? "✓" : "";
      second.textContent = spots[i].feel || spots[i].place;
      group.classList.toggle("chosen", i === current);
    });
    const choose = async (i) => {
      current = i;
      dialog.querySelector("[data-feel]").hidden = false;
      dialog.querySelectorAll("[name=feel]").forEach((input) => { input.checked = input.value === spots[i].feel; });
      paint();
      const temp = await keypad(`${spots[i].place}, ${data.degree}`);
      if (temp) spots[i].temp = temp;
      paint();
    };
    groups.forEach((group, i) => {
      group.onclick = () => choose(i);
      group.onkeydown = (event) => { if (event.key === "Enter") { event.preventDefault(); choose(i); } };
    });
    dialog.querySelectorAll("[name=feel]").forEach((input) => { input.onchange = () => { if (current >= 0) spots[current].feel = input.value; paint(); }; });
    paint();
    dialog.returnValue = "";
    dialog.showModal();
    if ((await dialogDone(dialog)) !== "keep") return;
    const picked = (name) => dialog.querySelector(`[name=${name}]:checked`)?.value || "";
    put("look", { bark: picked("bark"), colour: picked("colour"), spots: spots.filter((s) => s.temp || s.feel) }, letters);
  };

  const act = async (kind, only = null) => {
    if (kind === "look") return look(only);
    if (kind === "wrap") {
      const dialog = board.querySelector("[data-wrap-dialog]");
      dialog.returnValue = "";
      dialog.showModal();
      const wrap = await dialogDone(dialog);
      return wrap && wrap !== "leave" ? put(kind, { wrap_in: wrap }, only) : undefined;
    }
    if (kind === "pit-set") {
      const temp = await keypad(`Pit set to, ${data.degree}`);
      return temp ? put(kind, { temp }, only) : undefined;
    }
    if (kind === "note") {
      const note = window.prompt("Note");
      return note ? put(kind, { note }, only) : undefined;
    }
    return put(kind, {}, only);
  };
  pad.querySelector("[data-plain]").hidden = true;
  pad.addEventListener("submit", (event) => {
    event.preventDefault();
    if (event.submitter?.dataset.act) act(event.submitter.dataset.act);
  });

  // Keys: the arm's letter, then the action's.
  let chord = null;
  document.addEventListener("keydown", (event) => {
    if (event.ctrlKey || event.metaKey || event.altKey || event.target.closest("input:not([type=checkbox]):not([type=radio]), textarea, select, dialog")) return;
    const pressed = event.key.toLowerCase();
    if (chord) {
      const button = board.querySelector(`[data-act-key="${pressed}"]`);
      const only = chord === "0" ? arms() : [chord];
      chord = null;
      if (button) { event.preventDefault(); event.stopImmediatePropagation(); act(button.dataset.act, only); }
      return;
    }
    const letter = pressed.toUpperCase();
    if (arms().includes(letter) || pressed === "0") {
      chord = pressed === "0" ? "0" : letter;
      event.preventDefault();
      event.stopImmediatePropagation();
      show(`${chord === "0" ? "All arms" : `Arm ${chord}`}: now the action's key`);
    }
  }, true);

  // ---- what stands on the board ---------------------------------------------------------------------
  const patch = (texts) => board.querySelectorAll("[data-t]").forEach((element) => {
    const text = texts[element.dataset.t];
    if (text !== undefined && element.textContent !== text) element.textContent = text;
  });

  const refresh = async (part, hash) => {
    const holder = board.querySelector(`[data-part="${part}"]`);
    if (holder.dataset.hash === hash || holder.contains(document.activeElement)) return;
    const answer = await fetch(data.parts.replace("PART", part), { redirect: "manual" });
    if (!answer.ok) return;
    holder.innerHTML = await answer.text();
    holder.dataset.hash = hash;
    htmx.process(holder);
  };

  const poll = async () => {
    try {
      const answer = await fetch(`${data.board}?since=${version}`, { redirect: "manual" });
      signedOut = answer.type === "opaqueredirect";
      reached = answer.ok || answer.status === 204;
      if (answer.status === 200) {
        const said = await answer.json();
        for (const [part, hash] of Object.entries(said.parts)) await refresh(part, hash);
        patch(said.texts);
        version = said.version;
        made = said.made ? new Date(said.made) : null;
        ring(said.loud);
      } else if (answer.status === 204 && made) made = new Date(Math.max(made, Date.now() - 6000));
    } catch { reached = false; }
    tell();
    if (reached) flush();
  };

  const tell = () => {
    const count = waiting().length;
    const wait = count ? ` ${count} ${count === 1 ? "entry waits" : "entries wait"}.` : "";
    let words = "Live.";
    if (signedOut) words = "Signed out: sign in again in another tab; nothing is lost.";
    else if (!reached) words = "The yard is offline.";
    else if (!made) words = "Nothing is cooking yet.";
    else if (Date.now() - made > 30000) words = `The board is ${Math.round((Date.now() - made) / 60000) || 1} min old.`;
    state.textContent = words + wait;
    state.classList.toggle("trouble", signedOut || !reached || (made !== null && Date.now() - made > 30000));
  };

  const countdown = () => board.querySelectorAll("[data-countdown]").forEach((element) => {
    const iso = board.querySelector(`[data-t="${element.dataset.countdown}.due.iso"]`)?.textContent;
    if (!iso) { element.textContent = ""; return; }
    const seconds = Math.round((new Date(iso) - Date.now()) / 1000);
    const size = Math.abs(seconds);
    const hours = Math.floor(size / 3600), minutes = Math.floor((size % 3600) / 60);
    const text = hours ? `${hours}:${String(minutes).padStart(2, "0")} h` : `${minutes}:${String(size % 60).padStart(2, "0")} min`;
    element.textContent = seconds >= 0 ? `in ${text}` : `${text} ago`;
  });

  // ---- sound and notices ----------------------------------------------------------------------------
  const soundButton = board.querySelector("[data-sound]");
  let audio = null;
  soundButton.hidden = false;
  soundButton.addEventListener("click", () => {
    audio = audio || new AudioContext();
    audio.resume();
    beep();
    if ("Notification" in window && Notification.permission === "default") Notification.requestPermission();
    soundButton.lastChild.textContent = " Sound is on";
  });
  const beep = () => {
    if (!audio) return;
    [0, 0.25, 0.5].forEach((after) => {
      const tone = audio.createOscillator(), gain = audio.createGain();
      tone.frequency.value = 880;
      gain.gain.value = 0.25;
      tone.connect(gain).connect(audio.destination);
      tone.start(audio.currentTime + after);
      tone.stop(audio.currentTime + after + 0.15);
    });
  };
  const ring = (loud) => {
    const fresh = loud.filter((id) => !known.has(id));
    loud.forEach((id) => known.add(id));
    if (!fresh.length) return;
    beep();
    const words = board.querySelector(".watch-act span")?.textContent.trim();
    if (words && "Notification" in window && Notification.permission === "granted" && document.hidden) new Notification("Bruvet", { body: words, tag: `bruvet-${data.trial}` });
  };

  // ---- curves so far --------------------------------------------------------------------------------
  const holder = board.querySelector("[data-live]");
  const style = getComputedStyle(document.documentElement);
  const paint = (name) => style.getPropertyValue(name).trim();
  const dashes = { A: [], B: [9, 4], C: [2, 3], D: [9, 3, 2, 3], E: [16, 4], F: [4, 2, 1, 2, 1, 2] };
  let chart = null, curves = new Map();
  const draw = () => {
    const list = [...curves.values()];
    if (!list.length) return;
    const table = uPlot.join(list.map((one) => [one.x, one.y]));
    if (chart && chart.series.length === list.length + 1) { chart.setData(table); return; }
    chart?.destroy();
    const axis = { stroke: paint("--ink"), grid: { stroke: paint("--line"), width: 1 } };
    chart = new uPlot({
      width: holder.clientWidth, height: 240, legend: { show: false }, cursor: { y: false },
      scales: { x: { time: false } },
      axes: [{ ...axis, values: (u, ticks) => ticks.map((tick) => `${Math.floor(tick / 60)}:${String(Math.round(tick % 60)).padStart(2, "0")}`) }, { ...axis, values: (u, ticks) => ticks.map((tick) => `${tick}°`) }],
      series: [{}, ...list.map((one) => ({ label: one.label, stroke: paint(`--${one.arm.toLowerCase()}`), width: one.pit ? 1 : 2.5, dash: dashes[one.arm], spanGaps: true, alpha: one.pit ? 0.6 : 1 }))],
    }, table, holder);
    chart.over.addEventListener("click", () => {
      const letter = chosen()[0];
      const zero = document.getElementById(`lane-${letter}`)?.dataset.zero;
      if (!zero || chart.cursor.left < 0) return;
      curveAt = new Date(new Date(zero).getTime() + chart.posToVal(chart.cursor.left, "x") * 60000);
      const chip = pad.querySelector("[data-on-curve]");
      chip.hidden = false;
      chip.querySelector("span").textContent = clock.format(curveAt);
      chip.querySelector("input").checked = true;
    });
  };
  const fetchCurves = async () => {
    try {
      const last = Math.min(...[...curves.values()].map((one) => one.x.at(-1)), Infinity);
      const answer = await fetch(Number.isFinite(last) ? `${data.curve}?after=${last + 0.26}` : data.curve, { redirect: "manual" });
      if (!answer.ok) return;
      for (const one of (await answer.json()).series) {
        const old = curves.get(one.id);
        if (!old) { curves.set(one.id, one); continue; }
        one.x.forEach((x, i) => { if (x > old.x.at(-1)) { old.x.push(x); old.y.push(one.y[i]); } });
      }
      draw();
    } catch { reached = false; }
  };

  addEventListener("resize", () => chart?.setSize({ width: holder.clientWidth, height: 240 }));
  addEventListener("online", () => { poll(); fetchCurves(); });
  addEventListener("offline", () => { reached = false; tell(); });
  document.addEventListener("visibilitychange", () => { if (!document.hidden) { poll(); fetchCurves(); } });
  setInterval(poll, 3000);
  setInterval(countdown, 1000);
  if (!board.classList.contains("wall")) { fetchCurves(); setInterval(fetchCurves, 20000); }
  // ---- open again while offline, where the browser allows it ------------------------------------------
  if ("serviceWorker" in navigator && window.isSecureContext) {
    navigator.serviceWorker.register("/board-worker.js").then(() => navigator.serviceWorker.ready).then(async () => {
      const cache = await caches.open("bruvet-board-1");
      const parts = [...document.querySelectorAll("script[src], link[rel=stylesheet]")].map((element) => element.src || element.href);
      await cache.addAll([location.pathname, ...parts]);
      board.dataset.kept = "";
    }).catch(() => {});
  }

  board.dataset.ready = "";
  poll().then(countdown);
})();
