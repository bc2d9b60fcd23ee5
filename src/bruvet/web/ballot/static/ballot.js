// Each answer is delivered as it is given; while the connection is lost it waits in this browser and goes out later.
(() => {
  const form = document.querySelector("[data-ballot]");
  if (!form) return;
  const address = form.dataset.one;
  const store = "bruvet-ballot";
  const status = document.querySelector("[data-kept]");
  const waiting = () => { try { return JSON.parse(localStorage.getItem(store) || "{}"); } catch { return {}; } };
  const put = (all) => { try { localStorage.setItem(store, JSON.stringify(all)); } catch { /* the form's own button still works */ } };
  let busy = false;
  const deliver = async () => {
    if (busy) return;
    busy = true;
    let lost = false;
    for (const [to, values] of Object.entries(waiting())) {
      try {
        const answer = await fetch(to, { method: "POST", headers: { "Content-Type": "application/json" }, body: JSON.stringify(values) });
        if (answer.status >= 500) throw new Error("later");
        const all = waiting();
        // What was given meanwhile stays.
        if (JSON.stringify(all[to]) === JSON.stringify(values)) { delete all[to]; put(all); }
      } catch { lost = true; }
    }
    busy = false;
    const left = Object.keys(waiting()).length;
    status.textContent = lost ? "kept on this phone until the connection is back" : left ? "" : "kept";
    if (left) setTimeout(deliver, lost ? 2000 : 50);
  };
  form.addEventListener("change", (event) => {
    if (!event.target.name || event.target.name === "sure") return;
    const all = waiting();
    all[address] = { ...(all[address] || {}), [event.target.name]: event.target.value };
    put(all);
    deliver();
  });
  window.addEventListener("online", deliver);
  // What waits for this page is shown again after a reload.
  Object.entries(waiting()[address] || {}).forEach(([name, value]) => {
    const fields = [...form.elements].filter((field) => field.name === name);
    fields.forEach((field) => { if (field.type === "radio") field.checked = field.value === value; else field.value = value; });
  });
  if (Object.keys(waiting()).length) deliver();
  const next = form.querySelector("[data-next]");
  const pause = Number(form.dataset.pause);
  if (next && pause > 0 && !form.querySelector("input:checked")) {
    const word = next.textContent;
    const until = Date.now() + pause * 1000;
    const tick = () => {
      const left = Math.ceil((until - Date.now()) / 1000);
      next.textContent = left > 0 ? `${word} (rinse, ${left} s)` : word;
      if (left > 0) setTimeout(tick, 500);
    };
    tick();
  }
})();
