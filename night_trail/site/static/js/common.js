// What every page does: notices, the line that says something runs, hover
// cards, the list of keys, pictures that follow the size of their window.
// Nothing here computes a figure; it turns events into requests.

export const $ = (selector, root = document) => root.querySelector(selector);
export const $$ = (selector, root = document) => [...root.querySelectorAll(selector)];
export const token = () => $('input[name="csrfmiddlewaretoken"]')?.value ?? "";

const BY_ITSELF = ".later, .asks, .stage, .signposts, .signposts [hx-get], #pending, #arrival";
const UNSEEN = "#arrival, .signposts, .signposts [hx-get]";  // nobody waits for these
export const unseen = (event) => Boolean(event.detail?.ctx?.sourceElement?.matches?.(UNSEEN));
let noticed = 0;
export function notice(sentence) {
  noticed = performance.now();
  const box = document.createElement("div");
  box.className = "notice";
  const bang = document.createElement("span");
  bang.className = "bang";
  bang.textContent = "!";
  const words = document.createElement("p");
  words.textContent = sentence;
  const close = document.createElement("button");
  close.type = "button";
  close.className = "quiet";
  close.dataset.dismiss = "";
  close.setAttribute("aria-label", "Close this notice");
  close.textContent = "×";
  box.append(bang, words, close);
  $("#notice").replaceChildren(box);
}

// ---- something runs: shown only when it takes longer than a blink ----
let running = 0;
let busyTimer = 0;
const begun = new WeakMap();
document.addEventListener("htmx:before:request", (event) => {
  if (unseen(event)) return;
  running += 1;
  document.body.ariaBusy = "true";
  clearTimeout(busyTimer);
  if (event.detail?.ctx) begun.set(event.detail.ctx, performance.now());
  busyTimer = setTimeout(() => {
    if (running > 0) {
      $("#busy").classList.add("shown");
      document.body.classList.add("waits");
    }
  }, 250);
});
document.addEventListener("htmx:finally:request", (event) => {
  // what asked may be gone with the answer: its request is known by itself
  if (event.detail?.ctx && !begun.has(event.detail.ctx)) return;
  running = Math.max(0, running - 1);
  if (!running) {
    document.body.ariaBusy = "false";
    clearTimeout(busyTimer);
    $("#busy").classList.remove("shown");
    document.body.classList.remove("waits");
  }
});
document.addEventListener("htmx:error", () => {
  notice("The server did not answer. Nothing you made is lost; try again in a moment.");
});
document.addEventListener("htmx:after:swap", (event) => {
  const ctx = event.detail?.ctx;
  const status = ctx?.response?.status ?? 200;
  // a notice goes with the next thing done, not with what was still coming or comes by itself
  if (status >= 400) noticed = performance.now();
  else if ((begun.get(ctx) ?? 0) > noticed && !ctx.sourceElement?.matches?.(BY_ITSELF)) $("#notice")?.replaceChildren();
  const title = $("[data-title]")?.dataset.title;
  if (title) document.title = `${title} · Night Trail`;
  fitPictures();
});

document.addEventListener("click", (event) => {
  if (event.target.closest("[data-dismiss]")) event.target.closest(".notice").remove();
  if (event.target.closest("[data-keys]")) $("#keys")?.showModal();
  for (const open of $$("details.menu-box[open]")) {
    if (!open.contains(event.target)) open.open = false;
  }
});

// What cannot be taken back is asked about first.
document.addEventListener("submit", (event) => {
  const question = event.target.dataset?.confirm;
  if (question && !window.confirm(question)) event.preventDefault();
});

// ---- one small card near the pointer, or beside the mark that has the focus ----
const card = document.createElement("div");
card.className = "hover-card";
card.hidden = true;
document.body.append(card);

function place(x, y) {
  const box = card.getBoundingClientRect();
  card.style.left = `${Math.max(6, Math.min(x + 14, innerWidth - box.width - 8))}px`;
  card.style.top = `${Math.max(6, y + 16 + box.height > innerHeight ? y - box.height - 12 : y + 16)}px`;
}

function showCard(holder, x, y) {
  card.className = "hover-card";
  card.replaceChildren(
    ...holder.dataset.card.split("\n").map((line) => {
      const p = document.createElement("p");
      p.textContent = line;
      return p;
    }),
  );
  card.hidden = false;
  place(x, y);
}

let more = { holder: null, part: null };
/** Put a drawn part, made by the server, below what the card says of a mark. */
export function addToCard(holder, markup) {
  const part = new DOMParser().parseFromString(markup, "text/html").body.firstElementChild;
  more = { holder, part };
  if (part && !card.hidden) {
    card.append(part);
    const box = card.getBoundingClientRect();
    if (box.bottom > innerHeight) card.style.top = `${Math.max(6, innerHeight - box.height - 8)}px`;
  }
}

document.addEventListener("pointermove", (event) => {
  const holder = event.target.closest?.("[data-card]");
  if (holder && holder === more.holder && !card.hidden) return;
  if (holder) return showCard(holder, event.clientX, event.clientY);
  more = { holder: null, part: null };
  const small = event.target.closest?.("[data-small]");
  if (small) {
    if (card.dataset.small !== small.dataset.small || card.hidden) {
      const img = document.createElement("img");
      img.src = small.dataset.small;
      img.alt = "";
      img.addEventListener("error", () => { card.hidden = true; });
      card.className = "hover-card way-card";
      card.replaceChildren(img);
      card.dataset.small = small.dataset.small;
      card.hidden = false;
    }
    return place(event.clientX + 20, event.clientY);
  }
  card.hidden = true;
});
document.addEventListener("focusin", (event) => {
  const holder = event.target.closest?.("[data-card]");
  if (holder?.matches(":focus-visible")) {
    const box = holder.getBoundingClientRect();
    showCard(holder, box.right, box.top);
  }
});
document.addEventListener("focusout", () => { card.hidden = true; });
document.addEventListener("pointerdown", () => { card.hidden = true; });

// ---- a picture is drawn anew, by the server, for the room it has ----
let fitTimer = 0;
// what is asked for: the stage, and the picture that stood on it then
const fitting = new WeakMap();
export function fitPictures() {
  for (const stage of $$(".stage[data-picture]")) {
    const picture = $("svg.picture", stage);
    if (!picture || fitting.has(stage)) continue;
    const wide = Math.round(stage.clientWidth);
    const high = Math.round(stage.clientHeight);
    if (!wide || !high) continue;
    document.cookie = `${stage.dataset.cookie}=${wide}x${high};path=/;max-age=31536000;samesite=lax`;
    // a tall picture is longer than the room it was drawn for, and scrolls in it
    const [roomWide, roomHigh] = picture.dataset.room?.split("x").map(Number) ?? [picture.viewBox.baseVal.width, picture.viewBox.baseVal.height];
    if (Math.abs(roomWide - wide) < 3 && Math.abs(roomHigh - high) < 3) continue;
    const whole = stage.dataset.whole;
    fitting.set(stage, stage.dataset.picture);
    stage.dataset.fitting = "1";
    const url = new URL(stage.dataset.picture, location.href);
    url.searchParams.set("size", `${wide}x${high}`);
    htmx
      .ajax("GET", url.pathname + url.search, {
        source: stage,
        target: whole ?? "#stage",
        swap: whole ? "outerMorph" : "innerMorph",
      })
      .finally(() => {
        fitting.delete(stage);
        delete stage.dataset.fitting;
      });
  }
}
// what was asked for before the page went on to something else may not bring the old back
const waited = new WeakMap();
document.addEventListener("htmx:before:request", ({ detail }) => {
  const source = detail?.ctx?.sourceElement;
  if (source?.matches?.("#pending")) waited.set(detail.ctx, source.getAttribute("hx-get"));
});
document.addEventListener("htmx:before:swap", (event) => {
  const { ctx } = event.detail;
  if (!waited.has(ctx)) return;
  const source = ctx.sourceElement;
  if (!source.isConnected || source.getAttribute("hx-get") !== waited.get(ctx)) event.preventDefault();
});
document.addEventListener("htmx:before:swap", (event) => {
  const stage = event.detail.ctx.sourceElement;
  if (!fitting.has(stage) || (stage.isConnected && fitting.get(stage) === stage.dataset.picture)) return;
  event.preventDefault();
  setTimeout(fitPictures, 30);
});
addEventListener("resize", () => {
  clearTimeout(fitTimer);
  fitTimer = setTimeout(fitPictures, 180);
});
addEventListener("load", () => setTimeout(fitPictures, 30));
matchMedia("print").addEventListener("change", fitPictures);

// ---- marks: one stop for Tab, arrows walk them ----
export function walkMarks(event) {
  const mark = event.target.closest?.(".mark");
  const steps = { ArrowRight: 1, ArrowDown: 1, ArrowLeft: -1, ArrowUp: -1 };
  if (!mark || !(event.key in steps || event.key === "Home" || event.key === "End")) return false;
  const marks = $$(".mark", mark.closest("svg"));
  const at = marks.indexOf(mark);
  const to = event.key === "Home" ? 0 : event.key === "End" ? marks.length - 1 : at + steps[event.key];
  const next = marks[Math.max(0, Math.min(marks.length - 1, to))];
  mark.setAttribute("tabindex", "-1");
  next.setAttribute("tabindex", "0");
  next.focus();
  event.preventDefault();
  return true;
}

// ---- a drag along the axis, or over the plot's ground, sweeps a range ----
export function onSweep(swept) {
  let start = null;
  document.addEventListener("pointerdown", (event) => {
    const band = event.target.closest?.(".axis-band");
    if (!band || event.button !== 0) return;
    const svg = band.closest("svg");
    const axes = JSON.parse(svg.dataset.axes);
    const { x } = pixel(svg, event);
    const field = under(axes, x);
    if (!field) return;
    start = { svg, x, column: axes.column, field, high: [axes.plot[1], axes.plot[3]], shift: event.shiftKey };
    band.setPointerCapture(event.pointerId);
    event.preventDefault();
  });
  document.addEventListener("pointermove", (event) => {
    if (!start) return;
    const [left, , right] = start.field.plot;
    const [top, bottom] = start.high;
    const x = Math.max(left, Math.min(right, pixel(start.svg, event).x));
    let sweep = $(".sweep", start.svg);
    if (!sweep) {
      sweep = document.createElementNS("http://www.w3.org/2000/svg", "rect");
      sweep.setAttribute("class", "sweep");
      start.svg.append(sweep);
    }
    sweep.setAttribute("x", Math.min(start.x, x));
    sweep.setAttribute("y", top);
    sweep.setAttribute("width", Math.abs(x - start.x));
    sweep.setAttribute("height", bottom - top);
    start.to = x;
  });
  addEventListener("pointerup", () => {
    if (!start) return;
    const { svg, x, to, field, column, shift } = start;
    start = null;
    $(".sweep", svg)?.remove();
    if (to === undefined || Math.abs(to - x) < 4) return;
    swept({
      turn: "light range",
      column,
      low: toData(field.x, Math.min(x, to)),
      high: toData(field.x, Math.max(x, to)),
      grain: Math.abs(toData(field.x, 1) - toData(field.x, 0)),
      add: shift,
    }, svg);
  });
}

// ---- a loop drawn by hand around marks between two measured axes ----
export function onLoop(drawn) {
  let loop = null;
  let drew = false;
  document.addEventListener("pointerdown", (event) => {
    drew = false;
    const svg = event.target.closest?.("svg.picture");
    if (!svg || event.button !== 0 || event.pointerType === "touch" || event.target.closest(".axis-band, .annotation")) return;
    const axes = svg.dataset.axes && JSON.parse(svg.dataset.axes);
    const at = pixel(svg, event);
    const field = axes?.y_column && around(axes, at);
    if (!field) return;
    loop = { svg, axes, field, points: [at], shift: event.shiftKey };
  });
  document.addEventListener("pointermove", (event) => {
    if (!loop) return;
    const at = pixel(loop.svg, event);
    if (loop.field.rows) {
      // what is drawn in one panel stays in it
      const [left, top, right, bottom] = loop.field.plot;
      at.x = Math.max(left, Math.min(right, at.x));
      at.y = Math.max(top, Math.min(bottom, at.y));
    }
    const before = loop.points.at(-1);
    if (Math.hypot(at.x - before.x, at.y - before.y) < (loop.line ? 4 : 8)) return;
    loop.points.push(at);
    if (!loop.line) {
      loop.line = document.createElementNS("http://www.w3.org/2000/svg", "path");
      loop.line.setAttribute("class", "sweep loop");
      loop.svg.append(loop.line);
    }
    loop.line.setAttribute("d", `M${loop.points.map((p) => `${p.x.toFixed(1)} ${p.y.toFixed(1)}`).join("L")}Z`);
    event.preventDefault();
  });
  addEventListener("pointerup", () => {
    const { line, points, axes, field, shift } = loop ?? {};
    loop = null;
    line?.remove();
    if (!line) return;
    drew = true;
    // a stroke to and fro holds nothing
    const area = points.reduce((sum, p, i) => sum + p.x * points.at(i - 1).y - points.at(i - 1).x * p.y, 0) / 2;
    if (Math.abs(area) < 60) return;
    const every = Math.ceil(points.length / 150);
    const grain = [field.x, field.y].map((axis) => Math.abs(toData(axis, axis.range[0] + 1) - toData(axis, axis.range[0])));
    const corners = points.filter((_, i) => i % every === 0).map((p) => [toData(field.x, p.x), toData(field.y, p.y)]);
    const ends = [field.x, field.y].flatMap((axis) => [toData(axis, Math.min(...axis.range)), toData(axis, Math.max(...axis.range))].sort((a, b) => a - b));
    const round = (value, step) => Number(value.toPrecision(Math.min(15, Math.max(4, Math.ceil(Math.log10(Math.abs(value) / step + 1)) + 1))));
    const inside = {
      type: "loop",
      x: axes.column,
      y: axes.y_column,
      points: corners.map(([x, y]) => [round(x, grain[0]), round(y, grain[1])]),
      ends,
    };
    drawn(field.rows ? { type: "all", parts: [inside, field.rows] } : inside, shift);
  });
  addEventListener("pointercancel", () => { loop?.line?.remove(); loop = null; });
  // the click that ends a loop is no click on a mark
  document.addEventListener("click", (event) => {
    if (!drew) return;
    drew = false;
    event.stopPropagation();
    event.preventDefault();
  }, true);
}

// The plot over a place on the axis, and the one around a place: of several panels, or the only one.
const within = ([left, , right], x) => x >= left && x <= right;
const under = (axes, x) => (axes.fields.length ? axes.fields.find(({ plot }) => within(plot, x)) : axes);
const around = (axes, { x, y }) =>
  (axes.fields.length ? axes.fields : [axes]).find(({ plot }) => within(plot, x) && y >= plot[1] && y <= plot[3]);

export function pixel(svg, event) {
  const box = svg.getBoundingClientRect();
  const view = svg.viewBox.baseVal;
  return {
    x: ((event.clientX - box.left) * view.width) / box.width,
    y: ((event.clientY - box.top) * view.height) / box.height,
  };
}

// A value as it lies along its axis: latitudes of a map by their sines.
const straight = (axis, at) => (axis.log ? Math.log10(at) : axis.sine ? Math.sin((at * Math.PI) / 180) : at);

// From a pixel to a place: a number on a measured axis, [group, fraction] on one of groups.
export function toData(axis, at) {
  const [start, end] = axis.range;
  if (axis.keys) {
    const step = (end - start) / Math.max(axis.keys.length, 1);
    const i = Math.max(0, Math.min(axis.keys.length - 1, Math.floor((at - start) / step)));
    return [axis.keys[i], Math.round(Math.max(-1, Math.min(2, (at - start) / step - i)) * 1000) / 1000];
  }
  const [low, high] = axis.domain.map((end) => straight(axis, end));
  const place = low + ((at - start) / (end - start)) * (high - low);
  if (axis.sine) return (Math.asin(Math.max(-1, Math.min(1, place))) * 180) / Math.PI;
  return axis.log ? 10 ** place : place;
}

export function toPixel(axis, at) {
  const [start, end] = axis.range;
  if (axis.keys) {
    const i = Array.isArray(at) ? axis.keys.indexOf(at[0]) : -1;
    if (i < 0) return (start + end) / 2;
    return start + ((end - start) / axis.keys.length) * (i + at[1]);
  }
  if (Array.isArray(at)) return (start + end) / 2;
  const [low, high] = axis.domain.map((end) => straight(axis, end));
  return start + ((straight(axis, at) - low) / (high - low || 1)) * (end - start);
}

export const typing = (target) =>
  target.closest?.("input, textarea, select, [contenteditable]") && !target.closest('[type="checkbox"]');

// ---- two keys work on every page that shows them ----
document.addEventListener("keydown", (event) => {
  if (event.ctrlKey || event.metaKey || event.altKey || typing(event.target)) return;
  if ($("#keys")?.open || event.target.closest?.("[popover]")) return;
  if (event.key === "?") $("#keys")?.showModal();
  if (event.key === "/" && $("#word-box")) {
    event.preventDefault();
    $("#word-box").focus();
  }
});
