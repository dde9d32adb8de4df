// The word box: what is typed is read by the server while it is typed; keys
// choose among the readings, finish the word, walk what was typed before.
import { $, $$, token } from "./common.js";

const form = $("#word-form");
const box = $("#word-box");
const panel = $("#word-panel");
const chosen = $("#word-reading");
const WAIT = 70;
let waiting = 0;
let looking = null;
let shownFor = null;
let walking = -1;

const stepId = () => $("#desk")?.dataset.step?.split("/").at(-2) ?? "";
const options = () => $$('[role="option"]', panel);
const current = () => $('[aria-selected="true"]', panel);

// ---- what was typed before, on this machine ----
const shelf = `night-trail words ${form?.dataset.table}`;
function typedBefore() {
  try { return JSON.parse(localStorage.getItem(shelf)) ?? []; } catch { return []; }
}
function remember(words) {
  const kept = [words, ...typedBefore().filter((w) => w !== words)].slice(0, 50);
  try { localStorage.setItem(shelf, JSON.stringify(kept)); } catch { /* a full shelf forgets */ }
}

// ---- looking up what is typed ----
function put(place, text) {
  place.replaceChildren(...new DOMParser().parseFromString(text, "text/html").body.childNodes);
}
function open() {
  panel.hidden = false;
  box.setAttribute("aria-expanded", "true");
}
function close() {
  if (!panel) return;
  panel.hidden = true;
  looking?.abort();
  clearTimeout(waiting);
  box.setAttribute("aria-expanded", "false");
  box.removeAttribute("aria-activedescendant");
}
async function look() {
  looking?.abort();
  looking = new AbortController();
  const words = box.value;
  const query = new URLSearchParams({ words });
  if (stepId()) query.set("step", stepId());
  try {
    const answer = await fetch(`${form.dataset.words}?${query}`, { signal: looking.signal, headers: { "HX-Request": "true" } });
    const text = await answer.text();
    if (!answer.ok || box.value !== words || document.activeElement !== box) return;
    put(panel, text);
    shownFor = words;
    htmx.process(panel);
    if (panel.childElementCount) open(); else close();
    mark(current());
    $("#word-said").textContent = $("#word-list")?.dataset.said || $(".missed", panel)?.textContent || "";
  } catch { /* the next letter came */ }
}
function soon() {
  clearTimeout(waiting);
  waiting = setTimeout(look, WAIT);
}
function mark(option) {
  for (const one of options()) one.setAttribute("aria-selected", String(one === option));
  if (option) {
    box.setAttribute("aria-activedescendant", option.id);
    option.scrollIntoView({ block: "nearest" });
  } else box.removeAttribute("aria-activedescendant");
}

// ---- choosing ----
function type(words) {
  box.value = words;
  box.setSelectionRange(words.length, words.length);
  soon();
}
function choose(option) {
  if (option?.dataset.words) return type(option.dataset.words);
  const door = option?.querySelector("form");
  if (door) {
    remember(box.value.trim());
    return void door.submit();
  }
  chosen.value = option?.dataset.reading && shownFor === box.value ? option.dataset.reading : "";
  form.requestSubmit();
}
function complete(button) {
  type(box.value.slice(0, Number(button.dataset.start)) + button.dataset.text);
}
function move(by) {
  const all = options();
  const at = all.indexOf(current());
  mark(all[Math.max(0, Math.min(all.length - 1, at + by))]);
}
function walk(by) {
  const before = typedBefore();
  walking = Math.max(-1, Math.min(before.length - 1, walking + by));
  type(walking < 0 ? "" : before[walking]);
}

box?.addEventListener("input", () => { walking = -1; chosen.value = ""; soon(); });
box?.addEventListener("focus", look);
box?.addEventListener("keydown", (event) => {
  const shown = !panel.hidden && options().length > 0;
  if (event.key === "/" && !box.value) {
    event.preventDefault();  // it leads here, and one is here
  } else if (event.key === "Enter") {
    event.preventDefault();
    choose(shown && shownFor === box.value ? current() : null);
  } else if (event.key === "ArrowDown") {
    event.preventDefault();
    if (walking >= 0) walk(-1); else if (shown) move(1); else look();
  } else if (event.key === "ArrowUp") {
    event.preventDefault();
    if (shown && walking < 0 && options().indexOf(current()) > 0) move(-1); else walk(1);
  } else if (event.key === "Tab" && !event.shiftKey) {
    const first = shownFor === box.value && !panel.hidden && $(".completes", panel);
    if (!first) return close();
    event.preventDefault();
    complete(first);
  } else if (event.key === "Escape" && !panel.hidden) {
    event.stopPropagation();
    close();
  }
});
form?.addEventListener("submit", () => {
  if (box.value.trim()) remember(box.value.trim());
  close();
});
document.addEventListener("focusin", (event) => { if (!event.target.closest?.(".wordplace")) close(); });
document.addEventListener("pointerdown", (event) => { if (!event.target.closest?.(".wordplace")) close(); });
// a press on the list must not take the focus from the box
panel?.addEventListener("mousedown", (event) => { if (!event.target.closest("select, button, input")) event.preventDefault(); });
panel?.addEventListener("click", async (event) => {
  const option = event.target.closest('[role="option"]');
  if (option) return choose(option);
  const finish = event.target.closest(".completes");
  if (finish) { box.focus(); return complete(finish); }
  const star = event.target.closest("#word-favourite");
  if (star) {
    await fetch(star.dataset.post, { method: "POST", body: new URLSearchParams({ csrfmiddlewaretoken: token(), words: box.value }) });
    box.focus();
    soon();
  }
});
// what a word means here is kept, and the words are read again with it
document.addEventListener("submit", async (event) => {
  if (!event.target.matches?.("[data-calls]")) return;
  event.preventDefault();
  event.stopImmediatePropagation();
  const body = new URLSearchParams(new FormData(event.target, event.submitter));
  const answer = await fetch(event.target.action, { method: "POST", body, headers: { "HX-Request": "true" } });
  if (!answer.ok) put($("#notice"), await answer.text());
  box.focus();
  soon();
}, true);
