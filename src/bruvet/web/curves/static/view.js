// What is looked at stands in the address, so that it can be sent on: part, hidden probes, marked stretch, raw.
window.bruvetView = (() => {
  const read = () => new URLSearchParams(location.search);
  const listeners = [];
  const set = (changes) => {
    const query = read();
    Object.entries(changes).forEach(([name, value]) => (value === null || value === "" ? query.delete(name) : query.set(name, value)));
    const text = query.toString();
    history.replaceState(null, "", text ? `?${text}` : location.pathname);
    document.querySelectorAll("[data-take]").forEach((link) => {
      const url = new URL(link.href);
      ["from", "to", "hide", "raw", "align", "level"].forEach((name) => (query.get(name) ? url.searchParams.set(name, query.get(name)) : url.searchParams.delete(name)));
      link.href = url;
    });
    listeners.forEach((listener) => listener(query));
  };
  const pair = (first, second) => {
    const query = read();
    const [low, high] = [query.get(first), query.get(second)].map((text) => (text === null || text.trim() === "" ? NaN : Number(text)));
    return Number.isFinite(low) && Number.isFinite(high) && high > low ? [low, high] : null;
  };
  return { read, set, pair, changed: (listener) => listeners.push(listener) };
})();
(() => {
  const copy = document.querySelector("[data-copy-link]");
  if (!copy) return;
  copy.hidden = false;
  copy.addEventListener("click", async () => {
    const told = document.querySelector("[data-copied]");
    try {
      await navigator.clipboard.writeText(location.href);
      told.textContent = "Copied.";
    } catch {
      told.textContent = `It is in the address bar: ${location.href}`;
    }
  });
})();
