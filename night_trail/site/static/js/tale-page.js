// The walk of a tale in a file: keys, buttons, the path, by itself; hover and light. No request to anywhere.
(() => {
  const $$ = (selector, root = document) => [...root.querySelectorAll(selector)];
  const stops = $$(".stop");
  const places = stops.flatMap((stop) => {
    const parts = $$(".part", stop);
    return (parts.length ? parts : [null]).map((part) => ({ stop, part }));
  });
  if (!places.length) return;
  let at = 0;
  let timer = 0;
  let playing = false;
  const by = (id) => document.getElementById(id);

  function show(to, focus = true) {
    at = Math.max(0, Math.min(places.length - 1, to));
    const { stop, part } = places[at];
    for (const one of stops) one.classList.toggle("here", one === stop);
    for (const one of $$(".part")) one.classList.toggle("here", one === part);
    const number = stops.indexOf(stop);
    $$("#path a").forEach((dot, i) => {
      dot.classList.toggle("here", i === number);
      dot.classList.toggle("done", i < number);
      if (i === number) dot.setAttribute("aria-current", "step");
      else dot.removeAttribute("aria-current");
    });
    by("back").disabled = at === 0;
    by("on").disabled = at === places.length - 1;
    history.replaceState(null, "", `#${stop.id}`);
    document.title = `${stop.querySelector("h1").textContent} · ${by("tale").dataset.title}`;
    if (focus) stop.querySelector("h1").focus({ preventScroll: true });
    scrollTo(0, 0);
    if (playing) rest();
  }
  function rest() {
    clearTimeout(timer);
    const { stop, part } = places[at];
    const first = !part || part === stop.querySelector(".part");
    const seconds = Number(first ? stop.dataset.pace : part.dataset.pace);
    timer = setTimeout(() => (at < places.length - 1 ? show(at + 1) : play(false)), seconds * 1000);
  }
  function play(on) {
    playing = on;
    clearTimeout(timer);
    by("by-itself").textContent = on ? "❚❚ rest here" : "▷ by itself";
    by("by-itself").setAttribute("aria-pressed", String(on));
    if (on) rest();
  }

  // ---- hover and light ----
  const card = by("card");
  function showCard(holder, x, y) {
    card.replaceChildren(...holder.dataset.card.split("\n").map((line) => {
      const p = document.createElement("p");
      p.textContent = line;
      return p;
    }));
    card.hidden = false;
    const box = card.getBoundingClientRect();
    card.style.left = `${Math.max(6, Math.min(x + 14, innerWidth - box.width - 8))}px`;
    card.style.top = `${y + 16 + box.height > innerHeight ? y - box.height - 12 : y + 16}px`;
  }
  function light(mark, add) {
    const svg = mark.closest("svg");
    const was = mark.classList.contains("lit-here");
    if (!add) for (const one of $$(".lit-here", svg)) one.classList.remove("lit-here");
    mark.classList.toggle("lit-here", !was);
    svg.classList.toggle("lighting", Boolean(svg.querySelector(".lit-here")));
  }
  function out() {
    for (const svg of $$("svg.lighting")) {
      svg.classList.remove("lighting");
      for (const one of $$(".lit-here", svg)) one.classList.remove("lit-here");
    }
  }
  // what the writer lets readers choose: each choice has its picture in the file
  const written = new WeakMap();
  document.addEventListener("change", (event) => {
    const choice = event.target.closest?.("[data-choose]");
    if (!choice) return;
    const figure = choice.closest("figure");
    const drawn = figure.querySelector(".drawn");
    if (!written.has(drawn)) written.set(drawn, [...drawn.childNodes]);
    const chosen = $$("template", figure)[choice.selectedIndex - 1];
    drawn.replaceChildren(...(chosen ? [chosen.content.cloneNode(true)] : written.get(drawn)));
  });
  document.addEventListener("pointermove", (event) => {
    const holder = event.target.closest?.("[data-card]");
    if (holder) showCard(holder, event.clientX, event.clientY);
    else card.hidden = true;
  });
  document.addEventListener("focusin", (event) => {
    const holder = event.target.closest?.("[data-card]");
    if (!holder?.matches(":focus-visible")) return;
    const box = holder.getBoundingClientRect();
    showCard(holder, box.right, box.top);
  });
  document.addEventListener("focusout", () => { card.hidden = true; });
  document.addEventListener("click", (event) => {
    const mark = event.target.closest?.("svg .mark");
    if (mark) return light(mark, event.shiftKey);
    const link = event.target.closest?.("#path a");
    if (link) {
      event.preventDefault();
      show(places.findIndex(({ stop }) => `#${stop.id}` === link.getAttribute("href")));
    }
  });
  by("back").addEventListener("click", () => show(at - 1));
  by("on").addEventListener("click", () => show(at + 1));
  by("by-itself").addEventListener("click", () => play(!playing));
  by("theme").addEventListener("click", () => {
    const root = document.documentElement;
    const night = root.dataset.theme === "night";
    root.dataset.theme = night ? "day" : "night";
    by("theme").textContent = `Turn to ${night ? "night" : "day"}`;
  });
  document.addEventListener("keydown", (event) => {
    if (event.ctrlKey || event.metaKey || event.altKey) return;
    const mark = event.target.closest?.("svg .mark");
    if (mark && (event.key === "Enter" || event.key === " ")) {
      event.preventDefault();
      return light(mark, event.shiftKey);
    }
    if (event.target.closest?.("select")) return;
    if (event.target.closest?.("a, button, summary") && [" ", "Enter"].includes(event.key)) return;
    const keys = {
      ArrowRight: () => show(at + 1), " ": () => show(at + 1), PageDown: () => show(at + 1),
      ArrowLeft: () => show(at - 1), PageUp: () => show(at - 1),
      Home: () => show(0), End: () => show(places.length - 1),
      p: () => play(!playing), l: out, 0: out,
    };
    if (!keys[event.key]) return;
    event.preventDefault();
    keys[event.key]();
  });
  let start = null;
  document.addEventListener("touchstart", (event) => { start = event.touches[0]; }, { passive: true });
  document.addEventListener("touchend", (event) => {
    const end = event.changedTouches[0];
    if (!start) return;
    const [dx, dy] = [end.clientX - start.clientX, end.clientY - start.clientY];
    start = null;
    if (Math.abs(dx) > 60 && Math.abs(dx) > 2 * Math.abs(dy)) show(at + (dx < 0 ? 1 : -1));
  }, { passive: true });

  document.body.classList.add("walking");
  const asked = places.findIndex(({ stop }) => `#${stop.id}` === location.hash);
  show(asked < 0 ? 0 : asked, false);
})();
