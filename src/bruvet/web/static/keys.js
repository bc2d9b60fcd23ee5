// Keyboard: every element with data-key is reached by its key; `?` lists them. Nothing here is needed without script.
(() => {
  const dialog = document.querySelector("[data-keys]");
  const targets = () => [...document.querySelectorAll("[data-key]")];

  const showHelp = () => {
    const list = dialog.querySelector("dl");
    list.replaceChildren();
    const rows = targets().map((element) => [element.dataset.key, element.dataset.keyName || element.textContent.trim()]);
    const chords = [...document.querySelectorAll("[data-chord]")].map((element) => [element.dataset.chord, element.dataset.chordName]);
    for (const [key, name] of [...rows, ...chords, ["?", "This list"]]) {
      const term = document.createElement("dt");
      const kbd = document.createElement("kbd");
      kbd.textContent = key;
      term.append(kbd);
      const meaning = document.createElement("dd");
      meaning.textContent = name;
      list.append(term, meaning);
    }
    dialog.showModal();
  };

  document.addEventListener("keydown", (event) => {
    if (event.ctrlKey || event.metaKey || event.altKey || dialog.open) return;
    if (event.target.closest("input, textarea, select, [contenteditable]")) return;
    if (event.key === "?") {
      event.preventDefault();
      showHelp();
      return;
    }
    const target = targets().find((element) => element.dataset.key === event.key);
    if (target) {
      event.preventDefault();
      target.matches("input, select, textarea") ? target.focus() : target.click();
    }
  });

  dialog.querySelector("[data-close]").addEventListener("click", () => dialog.close());
  for (const button of document.querySelectorAll("[data-help]")) {
    button.hidden = false;
    button.addEventListener("click", showHelp);
  }
  for (const button of document.querySelectorAll("[data-print]")) {
    button.hidden = false;
    button.addEventListener("click", () => window.print());
  }
})();
