// Walking a tale: keys, buttons, the path, or by itself. What a reader lights
// travels in the address of a request and is recorded nowhere.
import { $, $$, onLoop, onSweep, walkMarks } from "./common.js";
import { halt, playThrough } from "./play.js";

const walk = () => $("#walk");
let playing = 0;

function go(address, push = true) {
  if (!address) return Promise.resolve();
  return htmx.ajax("GET", address, {
    source: walk(),
    target: "#walk",
    swap: "outerMorph",
    ...(push ? { push: address } : {}),
  });
}
function turnTo(address) {
  const stop = walk().dataset.title;
  return go(address).then(() => {
    // the parts of one stop stand at one place
    if (walk().dataset.title !== stop) scrollTo(0, 0);
    if (playing) rest();
  });
}

// ---- the reader's lantern ----
function light(values) {
  pause();
  const { address, chosen } = walk().dataset;
  const query = new URLSearchParams(chosen);
  for (const [name, value] of Object.entries({ now: walk().dataset.lit, ...values })) query.set(name, value);
  go(`${address}${address.includes("?") ? "&" : "?"}${query}`, false);
}
const lightMark = (mark, add) => light({ [add ? "add" : "light"]: mark.dataset.light });
onLoop((loop, add) => light({ [add ? "add" : "light"]: JSON.stringify(loop) }));
onSweep((swept) => light({ range: JSON.stringify(swept) }));

document.addEventListener("click", (event) => {
  const mark = event.target.closest?.("svg.picture .mark");
  if (mark) return mark.dataset.light && lightMark(mark, event.shiftKey);
  if (event.target.closest?.("svg.picture .ground") && walk().dataset.lit) return light({ out: "1" });
  if (event.target.closest?.("[data-reset]")) return void go(walk().dataset.address, false);
  const link = event.target.closest?.("[data-go], .walk-stop");
  if (link && !event.ctrlKey && !event.metaKey) {
    event.preventDefault();
    if (link.dataset.go === "same") go(link.getAttribute("href"), false);
    else turnTo(link.getAttribute("href"));
  }
  if (event.target.closest?.("#by-itself")) playing ? pause() : play();
  if (event.target.closest?.("#pointing")) pointing();
  if (event.target.closest?.("#full-screen")) {
    document.fullscreenElement ? document.exitFullscreen() : document.documentElement.requestFullscreen?.();
  }
});

// ---- what the writer lets a reader choose in an overview stands in all its pictures ----
document.addEventListener("change", (event) => {
  const form = event.target.closest?.("[data-chips]");
  if (!form) return;
  const query = new URLSearchParams([...new FormData(form)].filter(([, value]) => value));
  query.set("now", walk().dataset.lit);
  const { address } = walk().dataset;
  go(`${address}${address.includes("?") ? "&" : "?"}${query}`, false);
});

// ---- by itself: rests at each stop as long as its words take to read, then plays what plays there ----
let timer = 0;
function rest() {
  clearTimeout(timer);
  const seconds = Number(walk().dataset.pace);
  const line = $("#pace-line");
  line.getAnimations().forEach((a) => a.cancel());
  line.animate([{ width: "0" }, { width: "100%" }], { duration: seconds * 1000 });
  timer = setTimeout(async () => {
    const through = await playThrough();
    if (!playing) return;
    if (through && walk().dataset.on) turnTo(walk().dataset.on);
    else pause();
  }, seconds * 1000);
}
function play() {
  playing = 1;
  show();
  rest();
}
function pause() {
  playing = 0;
  clearTimeout(timer);
  halt();
  $("#pace-line")?.getAnimations().forEach((a) => a.cancel());
  show();
}
function show() {
  const button = $("#by-itself");
  button?.setAttribute("aria-pressed", String(Boolean(playing)));
  if (button) button.textContent = playing ? "❚❚ rest here" : "▷ by itself";
}
document.addEventListener("htmx:after:swap", show);

// ---- by scrolling: beyond the foot of a stop the walk goes on, above its head it goes back ----
let pushed = 0;
let rests = 0;
document.addEventListener("wheel", (event) => {
  if (event.ctrlKey || event.defaultPrevented || event.target.closest?.(".scroll, select, textarea, .cards")) return;
  const page = document.scrollingElement;
  const down = event.deltaY > 0;
  const edge = down ? page.scrollTop + innerHeight >= page.scrollHeight - 2 : page.scrollTop <= 1;
  const now = performance.now();
  // a wheel that still turns from the last stop, or from scrolling to the edge, does not turn over
  if (!edge || now < rests) {
    pushed = 0;
    if (!edge) rests = now + 350;
    return;
  }
  pushed = Math.sign(pushed) === Math.sign(event.deltaY) ? pushed + event.deltaY : event.deltaY;
  if (Math.abs(pushed) < 160) return;
  pushed = 0;
  rests = now + 900;
  if (playing) pause();
  const { back, on } = walk().dataset;
  if (down ? on : back) turnTo(down ? on : back);
}, { passive: true });

// ---- presented: the window with the notes tells where to go, and where the light falls ----
const channel = walk().dataset.tale ? new BroadcastChannel(`walk-of-${walk().dataset.tale}`) : null;
const told = () => channel?.postMessage({ at: walk().dataset.at });
channel?.addEventListener("message", ({ data }) => {
  if (typeof data.go === "string") {
    const to = new URL(data.go, location.href);
    if (to.origin === location.origin && to.pathname + to.search !== location.pathname + location.search) turnTo(data.go);
  }
  if ("light" in data) shine(data.light);
});
document.addEventListener("htmx:after:swap", told);
addEventListener("load", told);
// in one window the light follows the pointer of whoever shows
let points = false;
function pointing() {
  points = !points;
  $("#pointing")?.setAttribute("aria-pressed", String(points));
  if (!points) shine(null);
}
document.addEventListener("pointermove", (event) => {
  const stage = points && $("#stage, .own-image.alone");
  if (!stage) return;
  const box = stage.getBoundingClientRect();
  const at = [(event.clientX - box.left) / box.width, (event.clientY - box.top) / box.height];
  shine(at.some((share) => share < 0 || share > 1) ? null : at);
});
function shine(at) {
  let light = $("#pointer-light");
  const stage = $("#stage, .own-image.alone");
  if (!at || !stage) return light?.remove();
  if (!light) {
    light = document.createElement("div");
    light.id = "pointer-light";
    document.body.append(light);
  }
  const box = stage.getBoundingClientRect();
  light.style.left = `${box.left + at[0] * box.width}px`;
  light.style.top = `${box.top + at[1] * box.height}px`;
}

// ---- comments at a place of the picture: its shares of the width and the height ----
let placing = null;
function placed() {
  for (const dot of $$(".place")) {
    dot.style.left = `${Number(dot.dataset.x) * 100}%`;
    dot.style.top = `${Number(dot.dataset.y) * 100}%`;
  }
}
document.addEventListener("htmx:after:swap", placed);
addEventListener("load", placed);
document.addEventListener("click", (event) => {
  const button = event.target.closest?.("[data-place]");
  if (button) {
    placing = placing ? null : button;
    button.setAttribute("aria-pressed", String(Boolean(placing)));
    button.textContent = placing ? "click the picture where it is" : "at a place of the picture…";
    document.body.classList.toggle("placing", Boolean(placing));
    return;
  }
  const stage = placing && event.target.closest?.("#stage");
  if (!stage) return;
  event.stopImmediatePropagation();
  const box = stage.getBoundingClientRect();
  const form = placing.form;
  form.elements.x.value = ((event.clientX - box.left) / box.width).toFixed(4);
  form.elements.y.value = ((event.clientY - box.top) / box.height).toFixed(4);
  placing.textContent = "placed; click again to place it elsewhere";
  placing.setAttribute("aria-pressed", "false");
  document.body.classList.remove("placing");
  placing = null;
}, true);

// ---- by a finger: a stroke to the side goes on or back ----
let touched = null;
document.addEventListener("touchstart", (event) => {
  touched = event.touches.length === 1 && !event.target.closest?.("svg .ground, .scroll, .axis-band") ? event.touches[0] : null;
}, { passive: true });
document.addEventListener("touchend", (event) => {
  if (!touched) return;
  const [dx, dy] = [event.changedTouches[0].clientX - touched.clientX, event.changedTouches[0].clientY - touched.clientY];
  touched = null;
  if (Math.abs(dx) > 60 && Math.abs(dx) > 2 * Math.abs(dy)) turnTo(dx < 0 ? walk().dataset.on : walk().dataset.back);
}, { passive: true });

document.addEventListener("keydown", (event) => {
  if (event.ctrlKey || event.metaKey || event.altKey) return;
  if (walkMarks(event)) return;
  const mark = event.target.closest?.("svg.picture .mark");
  if (mark && (event.key === "Enter" || event.key === " ")) {
    event.preventDefault();
    return lightMark(mark, event.shiftKey);
  }
  if (event.target.closest?.("input, textarea, select")) return;
  if (event.target.closest?.("a, button, summary") && [" ", "Enter"].includes(event.key)) return;
  const { back, on, address } = walk().dataset;
  const keys = {
    ArrowRight: () => turnTo(on),
    " ": () => turnTo(on),
    PageDown: () => turnTo(on),
    ArrowLeft: () => turnTo(back),
    PageUp: () => turnTo(back),
    p: () => (playing ? pause() : play()),
    o: () => pointing(),
    l: () => light({ out: "1" }),
    0: () => go(address, false),
  };
  if (keys[event.key]) {
    event.preventDefault();
    if (playing && event.key !== "p") pause();
    keys[event.key]();
  }
});
