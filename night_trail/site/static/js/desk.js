// The desk: pointer and keys become turns. A turn is posted to the step one
// stands on; the server answers with the desk at the step it leads to.
import { $, $$, addToCard, onLoop, onSweep, pixel, toData, token, typing, walkMarks } from "./common.js";
import { annotating, toggleAnnotating } from "./annotate.js";

const desk = () => $("#desk");
let last = Promise.resolve();
let underWay = 0;

// One after the other: a second turn waits for the step the first one leads to.
function after(work) {
  underWay += 1;
  last = last.then(work).catch(() => {}).finally(() => { underWay -= 1; });
  return last;
}
const turn = (values) => after(() =>
  htmx.ajax("POST", desk().dataset.turn, {
    source: desk(),
    target: "#desk",
    swap: "outerMorph",
    values: { csrfmiddlewaretoken: token(), ...values },
  }));
const change = (value) => turn({ change: JSON.stringify(value) });
const go = (address) => {
  if (address) after(() => htmx.ajax("GET", address, { source: desk(), target: "#desk", swap: "outerMorph", push: address }));
};
// A button's turn waits its turn too, and a list opens on the step that is being made, not on the one before it.
document.addEventListener("submit", (event) => {
  const button = event.submitter;
  if (button?.name !== "change" || !event.target.matches("#desk form, #popover form, .guide form")) return;
  event.preventDefault();
  event.stopImmediatePropagation();
  turn({ change: button.value });
  // what was chosen to be drawn is to be seen
  if (event.target.closest(".guide")) closeDrawer();
}, true);
document.addEventListener("click", (event) => {
  const word = underWay && event.target.closest?.(".slot, .slot-add, [data-opens]");
  if (!word) return;
  event.preventDefault();
  event.stopImmediatePropagation();
  // the swap may make another word of the same element
  const { slot } = word.dataset;
  last.then(() => (slot ? $(`#sentence [data-slot="${slot}"]`) : word.id ? document.getElementById(word.id) : null)?.click());
}, true);

// ---- marks ----
function light(mark, add) {
  change({ turn: "light", rows: JSON.parse(mark.dataset.light), add });
}
document.addEventListener("click", (event) => {
  if (annotating()) return;
  const mark = event.target.closest?.("svg.picture .mark");
  if (mark?.dataset.turn) return change(JSON.parse(mark.dataset.turn));
  if (mark?.closest("[data-range]")) return fillRange(JSON.parse(mark.dataset.light));
  if (mark) {
    if (event.detail < 2 && !wasHeld()) light(mark, event.shiftKey);
    return;
  }
  if (event.target.closest?.("svg.picture .ground") && $(".chip.lantern")) change({ turn: "put out" });
});
document.addEventListener("dblclick", (event) => {
  if (!annotating() && event.target.closest?.("svg.picture .mark:not(.door)")) change({ turn: "keep lit" });
});
onSweep((swept, svg) => {
  if (svg.closest("[data-range]")) fillRange(swept);
  else if (!annotating()) change(swept);
});
onLoop((loop, add) => { if (!annotating()) change({ turn: "light", rows: loop, add }); });

// ---- a mark that is pointed at for a while shows what makes it up; held, by pointer or key, what can be asked ----
const REST_MS = 900;
const HOLD_MS = 550;
let resting = 0;
let heldAt = -Infinity;
const wasHeld = () => performance.now() - heldAt < 700;
const atHand = (mark, part) => `${desk().dataset.step}at-hand/?part=${part}&rows=${encodeURIComponent(mark.dataset.light)}`;
const holdable = (target) => (annotating() ? null : target.closest?.("#stage .mark[data-light]"));
document.addEventListener("pointerover", (event) => {
  const mark = holdable(event.target);
  if (mark?.contains(event.relatedTarget)) return;
  clearTimeout(resting);
  if (!mark || event.pointerType === "touch") return;
  resting = setTimeout(async () => {
    const answer = await fetch(atHand(mark, "card"), { headers: { "HX-Request": "true" } });
    if (answer.ok && mark.isConnected && mark.matches(":hover")) addToCard(mark, await answer.text());
  }, REST_MS);
});
document.addEventListener("pointerdown", (event) => {
  clearTimeout(resting);
  const mark = event.button === 0 ? holdable(event.target) : null;
  if (!mark) return;
  // by when it happened, not by when a busy page heard of it
  document.addEventListener("pointerup", (later) => {
    const moved = Math.hypot(later.clientX - event.clientX, later.clientY - event.clientY);
    if (later.timeStamp - event.timeStamp < HOLD_MS || moved > 6) return;
    heldAt = performance.now();
    // a list that opens while the pointer is still down closes with its going up
    setTimeout(() => openAtHand(mark), 0);
  }, { once: true });
});
function openAtHand(mark) {
  opener = mark;
  htmx.ajax("GET", atHand(mark, "all"), { source: mark, target: "#popover", swap: "innerHTML" });
}

// ---- the edge of a bin, dragged, sets the width of all bins ----
let edge = null;
document.addEventListener("pointerdown", (event) => {
  const grip = event.target.closest?.("#stage .bin-edge");
  if (!grip || event.button !== 0 || annotating()) return;
  const svg = grip.closest("svg.picture");
  edge = { grip, svg, axes: JSON.parse(svg.dataset.axes), from: pixel(svg, event).x };
  grip.setPointerCapture(event.pointerId);
  event.preventDefault();
});
document.addEventListener("pointermove", (event) => {
  if (!edge) return;
  edge.to = pixel(edge.svg, event).x;
  edge.grip.setAttribute("x", edge.to - 3);
});
addEventListener("pointerup", () => {
  const { grip, axes, from, to } = edge ?? {};
  edge = null;
  if (to === undefined || Math.abs(to - from) < 3) return;
  const width = (toData(axes.x, to) - Number(grip.dataset.first)) / Number(grip.dataset.bin);
  if (width > 0) change({ turn: "slot", slot: "bins", value: { width: Number(width.toPrecision(2)) } });
});

// ---- closer and further: wheel, + and −, 0 for all; along: shift and wheel, comma and stop; the server draws what is then in sight ----
let zooming = 0;
let pending = null;
function inView(svg) {
  if (pending?.svg !== svg) pending = { svg, axes: JSON.parse(svg.dataset.axes), low: [0, 0], high: [1, 1] };
  return pending.axes;
}
function moveBy(svg, share) {
  inView(svg);
  const step = share * (pending.high[0] - pending.low[0]);
  pending.low[0] += step;
  pending.high[0] += step;
  showView(svg);
}
function zoomBy(svg, factor, at) {
  const axes = inView(svg);
  if (!axes.x) return;
  const share = (axis, place) => Math.max(0, Math.min(1, (place - axis.range[0]) / (axis.range[1] - axis.range[0])));
  const places = axes.zoom === "x" ? [share(axes.x, at.x)] : [share(axes.x, at.x), share(axes.y, at.y)];
  places.forEach((place, i) => {
    const middle = pending.low[i] + place * (pending.high[i] - pending.low[i]);
    pending.low[i] = middle - (middle - pending.low[i]) * factor;
    pending.high[i] = middle + (pending.high[i] - middle) * factor;
  });
  showView(svg);
}
function showView(svg) {
  preview(svg);
  clearTimeout(zooming);
  zooming = setTimeout(() => {
    const { axes: drawn, low, high } = pending;
    // an axis that does not zoom keeps what it shows
    const ends = [drawn.x, drawn.zoom === "x" ? drawn.x : drawn.y].flatMap((axis, i) =>
      [low[i], high[i]].map((s) => toData(axis, axis.range[0] + s * (axis.range[1] - axis.range[0]))).sort((a, b) => a - b));
    change({ turn: "zoom", window: ends });
    pending = null;
  }, 350);
}
function preview(svg) {
  const { axes, low, high } = pending;
  const [left, top, right, bottom] = axes.plot;
  const wide = 1 / (high[0] - low[0]);
  const tall = 1 / (high[1] - low[1]);
  const x = left - (left + low[0] * (right - left)) * wide;
  const y = bottom - (bottom - low[1] * (bottom - top)) * tall;
  for (const layer of $$("g.marks", svg)) layer.setAttribute("transform", `translate(${x.toFixed(1)} ${y.toFixed(1)}) scale(${wide.toFixed(4)} ${tall.toFixed(4)})`);
}
document.addEventListener("wheel", (event) => {
  const svg = event.target.closest?.("#stage svg.picture");
  if (!svg || annotating() || !JSON.parse(svg.dataset.axes).zoom) return;
  event.preventDefault();
  // with shift some browsers turn the wheel sideways
  if (event.shiftKey) return moveBy(svg, (event.deltaX || event.deltaY) > 0 ? 0.15 : -0.15);
  zoomBy(svg, event.deltaY < 0 ? 0.8 : 1.25, pixel(svg, event));
}, { passive: false });
function moveKey(share) {
  const svg = $("#stage svg.picture");
  if (svg?.dataset.axes && JSON.parse(svg.dataset.axes).zoom) moveBy(svg, share);
}
function zoomKey(factor) {
  const svg = $("#stage svg.picture");
  if (!svg?.dataset.axes || !JSON.parse(svg.dataset.axes).zoom) return;
  const [left, top, right, bottom] = JSON.parse(svg.dataset.axes).plot;
  if (factor) zoomBy(svg, factor, { x: (left + right) / 2, y: (top + bottom) / 2 });
  else change({ turn: "zoom", window: null });
}

// A range pointed at behind the fields of a condition is written into them.
function fillRange({ low, high }) {
  const written = (at) => {
    if (at === undefined || at === null) return "";
    return $('#popover [name="low"]').type === "date" ? (typeof at === "number" ? new Date(at * 1000).toISOString() : at).slice(0, 10) : Number(at.toPrecision(4));
  };
  $('#popover [name="low"]').value = written(low);
  $('#popover [name="high"]').value = written(high);
  $('#popover [name="high"]').focus();
}

// ---- the rows of the mark under the pointer are outlined in the other pictures ----
let pointed = null;
let pointing = 0;
function forgetPointed() {
  clearTimeout(pointing);
  pointed?.abort();
  pointed = null;
  $$(".mark.same-rows").forEach((mark) => mark.classList.remove("same-rows"));
}
function point(mark) {
  forgetPointed();
  const picture = mark.closest("svg.picture");
  if (!$(".beside-item") || mark.closest("#popover")) return;
  pointing = setTimeout(async () => {
    pointed = new AbortController();
    const query = new URLSearchParams({ rows: mark.dataset.light, from: picture.id.replace(/-picture$/, "") });
    try {
      const answer = await fetch(`${desk().dataset.step}same-rows/?${query}`, { signal: pointed.signal });
      if (!answer.ok) return;
      for (const id of (await answer.json()).marks) document.getElementById(id)?.classList.add("same-rows");
    } catch { /* the pointer moved on */ }
  }, 140);
}
document.addEventListener("pointerover", (event) => {
  const mark = event.target.closest?.("svg.picture .mark");
  if (mark?.dataset.light && !mark.contains(event.relatedTarget)) point(mark);
});
document.addEventListener("pointerout", (event) => {
  const mark = event.target.closest?.("svg.picture .mark");
  if (mark && !mark.contains(event.relatedTarget)) forgetPointed();
});
document.addEventListener("focusin", (event) => {
  const mark = event.target.closest?.("svg.picture .mark");
  if (mark?.dataset.light && mark.matches(":focus-visible")) point(mark);
});

// ---- lists that open at a word ----
const popover = () => $("#popover");
let opener = null;
const targetId = ({ target } = {}) => (typeof target === "string" ? target.replace("#", "") : target?.id);
document.addEventListener("htmx:before:request", (event) => {
  const source = event.detail?.ctx?.sourceElement;
  if (source?.matches?.(".slot, .slot-add, [data-opens]")) opener = source;
});
document.addEventListener("htmx:after:swap", (event) => {
  const id = targetId(event.detail?.ctx);
  const status = event.detail?.ctx?.response?.status ?? 200;
  if (id === "popover" && status < 400) openPopover();
  if (id === "desk" && status < 400) {
    popover().hidePopover?.();
    if ($("#drawer").childElementCount) showDrawer($("#drawer [data-drawer]")?.dataset.drawer);
    // within the way only: the page stays where it is read
    const here = $("#way-" + desk().dataset.step.split("/").at(-2));
    const way = here?.closest(".way-scroll");
    if (way) {
      const [mark, room] = [here.getBoundingClientRect(), way.getBoundingClientRect()];
      way.scrollTop += Math.max(0, mark.bottom - room.bottom) || Math.min(0, mark.top - room.top);
    }
  }
});
function openPopover() {
  const box = popover();
  if (!box.matches(":popover-open")) box.showPopover();
  if (opener?.isConnected) {
    opener.setAttribute("aria-expanded", "true");
    const word = opener.getClientRects()[0] ?? opener.getBoundingClientRect();
    const wide = box.offsetWidth;
    box.style.left = `${Math.max(8, Math.min(word.left, innerWidth - wide - 12)) + scrollX}px`;
    box.style.top = `${word.bottom + 6 + scrollY}px`;
  }
  ($(".filter", box) ?? $('.choice[aria-current="true"]', box) ?? $("input:not([type=hidden]), .choice", box))?.focus();
}
document.addEventListener("toggle", (event) => {
  if (event.target !== popover() || event.newState !== "closed") return;
  $$('[aria-expanded="true"]').forEach((word) => word.setAttribute("aria-expanded", "false"));
  const slot = opener?.dataset.slot;
  const back = opener?.isConnected ? opener : slot && $(`[data-slot="${slot}"]`);
  if (back && (document.activeElement === document.body || popover().contains(document.activeElement))) back.focus();
}, true);
document.addEventListener("input", (event) => {
  if (!event.target.matches?.("#popover .filter")) return;
  const wanted = event.target.value.trim().toLowerCase();
  for (const item of $$("#popover [data-text]")) item.hidden = !item.dataset.text.includes(wanted);
});
document.addEventListener("keydown", (event) => {
  const box = popover();
  if (!box?.contains(event.target) || !["ArrowDown", "ArrowUp"].includes(event.key)) return;
  if (typing(event.target) && !event.target.matches(".filter")) return;
  const all = $$(".choice", box).filter((c) => c.offsetParent !== null);
  const at = all.indexOf(document.activeElement);
  all[Math.max(0, Math.min(all.length - 1, at + (event.key === "ArrowDown" ? 1 : -1)))]?.focus();
  event.preventDefault();
});

document.addEventListener("keydown", (event) => {
  if (event.key !== "Enter" || !event.target.matches?.("#popover .filter")) return;
  event.preventDefault();
  $$("#popover .choice").find((c) => c.offsetParent !== null)?.click();
});

// ---- the word box ----
document.addEventListener("submit", (event) => {
  if (event.target.id !== "word-form") return;
  event.preventDefault();
  const box = $("#word-box");
  const words = box.value.trim();
  const reading = $("#word-reading").value;
  // who types on meanwhile keeps what they typed
  if (words) turn({ words, reading }).then(() => { if (box.value.trim() === words && !$("#notice").childElementCount) box.value = ""; });
});

// ---- the address of a step, to be sent or written down ----
document.addEventListener("click", (event) => {
  const button = event.target.closest?.("[data-copy]");
  if (!button) return;
  const address = new URL(button.dataset.copy, location.href).href;
  const said = (text) => { button.textContent = text; };
  navigator.clipboard?.writeText(address).then(() => said("Copied"), () => said(address)) ?? said(address);
});

// ---- rows ----
function showDrawer(part = "rows") {
  // how the rows were looked at stays when others come
  const query = part === "rows" ? $("#drawer [data-query]")?.dataset.query ?? "" : "";
  htmx.ajax("GET", `${desk().dataset.step}${part}/?${query.replace(/&?page=\d+/, "")}`, { source: "#drawer", target: "#drawer", swap: "innerHTML" });
}
document.addEventListener("click", (event) => {
  if (event.target.closest?.("[data-close-drawer]")) closeDrawer();
  if (event.target.closest?.("#annotate-toggle")) toggleAnnotating();
});
if (location.hash === "#rows") {
  history.replaceState(history.state, "", location.pathname + location.search);
  showDrawer();
}

// What was asked for before the drawer was closed does not open it again.
let drawerAsked = 0;
let drawerClosed = 0;
document.addEventListener("htmx:before:request", (event) => {
  if (targetId(event.detail?.ctx) === "drawer") drawerAsked = performance.now();
});
document.addEventListener("htmx:after:swap", (event) => {
  if (targetId(event.detail?.ctx) === "drawer" && drawerClosed > drawerAsked) $("#drawer").replaceChildren();
});
function closeDrawer() {
  drawerClosed = performance.now();
  const part = $("#drawer [data-drawer]")?.dataset.drawer ?? "rows";
  $("#drawer").replaceChildren();
  $(`#${part}-toggle`)?.focus();
}

// where a picture that plays comes to rest is a step
document.addEventListener("stand", (event) => change({ turn: "play", at: event.detail }));

// ---- keys ----
const keys = {
  s: () => $(".sentence .slot")?.focus(),
  m: () => $("#stage .mark[tabindex='0']")?.focus(),
  "[": () => go(desk().dataset.back),
  "]": () => go(desk().dataset.on),
  l: () => $(".chip.lantern") && change({ turn: "put out" }),
  o: () => change({ turn: "keep lit" }),
  x: () => change({ turn: "set aside" }),
  d: () => $("#break-down")?.click(),
  f: () => $("#only-add")?.click(),
  "+": () => zoomKey(0.6),
  "=": () => zoomKey(0.6),
  "-": () => zoomKey(1.6),
  0: () => zoomKey(0),
  ",": () => moveKey(-0.3),
  ".": () => moveKey(0.3),
  "<": () => $("#finer")?.click(),
  ">": () => $("#coarser")?.click(),
  b: () => change({ turn: "beside" }),
  r: () => ($("#drawer").childElementCount ? closeDrawer() : showDrawer()),
  h: () => { const mark = holdable(document.activeElement); if (mark) openAtHand(mark); },
  k: () => ($("#cairn-title") ? $("#cairn-title").focus() : $("#leave-cairn button")?.click()),
  n: () => toggleAnnotating(),
};
document.addEventListener("keydown", (event) => {
  if (event.ctrlKey || event.metaKey || event.altKey) return;
  if (event.key === "Escape") {
    if (annotating()) return toggleAnnotating();
    if ($("#drawer").childElementCount && !popover().matches(":popover-open")) return closeDrawer();
    return typing(event.target) && event.target.blur();
  }
  if (typing(event.target) || popover().contains(event.target) || $("#keys").open) return;
  if (walkMarks(event)) return;
  const mark = event.target.closest?.("svg.picture .mark");
  if (mark && (event.key === "Enter" || event.key === " ")) {
    event.preventDefault();
    const id = mark.id;
    if (mark.dataset.turn) return change(JSON.parse(mark.dataset.turn));
    light(mark, event.shiftKey);
    last.then(() => document.getElementById(id)?.focus());
    return;
  }
  const slot = event.target.closest?.(".slot, .slot-add");
  if (slot && ["ArrowLeft", "ArrowRight"].includes(event.key)) {
    const slots = $$(".slot, .slot-add");
    slots[(slots.indexOf(slot) + (event.key === "ArrowRight" ? 1 : slots.length - 1)) % slots.length].focus();
    event.preventDefault();
    return;
  }
  if (annotating() && event.target.closest?.(".annotation")) return;
  if (keys[event.key]) {
    event.preventDefault();
    keys[event.key]();
  }
});

// ---- after leaving a cairn its title is ready to be written ----
document.addEventListener("submit", (event) => {
  if (event.target.id !== "leave-cairn") return;
  const left = ({ detail }) => {
    if (targetId(detail?.ctx) !== "desk") return;  // what came beside the picture meanwhile
    document.removeEventListener("htmx:after:swap", left);
    setTimeout(() => $("#cairn-title")?.select(), 30);
  };
  document.addEventListener("htmx:after:swap", left);
});
