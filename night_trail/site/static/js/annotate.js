// Notes, arrows and ranges, placed and moved by hand or by keyboard. The server
// keeps them in the picture's own data and draws them; here a pixel becomes a
// place on the axes and back, nothing more.
import { $, $$, pixel, toData, toPixel, token } from "./common.js";

const STEP = 8;
let on = false;
let tool = "";
let chosen = "";
const earlier = [];
const later = [];

export const annotating = () => on;
// Whether the next press places a mark, or one is being dragged.
export const placing = () => Boolean(tool || drag || justPlaced);
let justPlaced = false;
const stage = () => $("#stage");
const svg = () => $("#stage svg.picture");
const axes = () => JSON.parse(svg().dataset.axes);
const current = () => JSON.parse(stage().dataset.annotations || "[]");
const hint = (words) => { $("#annotate-hint").textContent = words; };

export function toggleAnnotating() {
  if (!stage()) return;
  on = !on;
  tool = "";
  chosen = "";
  show();
  if (on) $("[data-tool]").focus();
}

// Called after every swap: the page's state stays, what is shown follows it.
function show() {
  if (!stage()) { on = false; }
  document.body.classList.toggle("annotating", on);
  document.body.classList.toggle("placing", Boolean(on && tool));
  const tools = $("#annotate-tools");
  if (!tools) return;
  if ($("#annotate-toggle")) tools.hidden = !on;
  $("#annotate-toggle")?.setAttribute("aria-pressed", String(on));
  for (const button of $$("[data-tool]")) button.setAttribute("aria-pressed", String(button.dataset.tool === tool));
  $("[data-undo]").disabled = !earlier.length;
  $("[data-redo]").disabled = !later.length;
  list();
  for (const mark of $$("#stage .annotation")) {
    if (on) mark.setAttribute("tabindex", "0");
    else mark.removeAttribute("tabindex");
    mark.classList.toggle("chosen", on && mark.dataset.annotation === chosen);
  }
}

function list() {
  const holder = $("#annotation-list");
  holder.hidden = !on;
  const ids = current().map((a) => a.id).join(" ");
  const typingIn = holder.contains(document.activeElement) && document.activeElement.matches("input");
  // an earlier change that is only now kept must not take away what is being typed
  if (typingIn && holder.annotationIds === ids) return;
  holder.annotationIds = ids;
  const kept = holder.contains(document.activeElement) ? document.activeElement.id : "";
  holder.replaceChildren(
    ...current().map((a, i) => {
      const item = document.createElement("li");
      const what = document.createElement("span");
      what.className = "what";
      what.textContent = a.mark;
      item.append(what);
      if (a.mark !== "arrow") {
        const words = document.createElement("input");
        words.className = "field-line";
        words.id = `annotation-text-${a.id}`;
        words.value = a.text ?? "";
        words.maxLength = 280;
        words.placeholder = a.mark === "note" ? "What is to be seen here" : a.mark === "bracket" ? "Words instead of the difference" : `Words for the ${a.mark}, if any`;
        words.setAttribute("aria-label", `Text of ${a.mark} ${i + 1}`);
        words.addEventListener("change", () => update(a.id, { text: words.value }));
        item.append(words);
      }
      const gone = document.createElement("button");
      gone.type = "button";
      gone.className = "quiet";
      gone.textContent = "remove";
      gone.setAttribute("aria-label", `Remove ${a.mark} ${i + 1}`);
      gone.addEventListener("click", () => save(current().filter((b) => b.id !== a.id)));
      item.append(gone);
      return item;
    }),
  );
  if (kept) document.getElementById(kept)?.focus();
}

// What the page showed before goes along: others may have annotated the same picture since.
function save(annotations, remember = true) {
  const before = current();
  if (remember) later.length = 0;
  if (remember) earlier.push({ address: stage().dataset.annotate, annotations: before });
  stage().dataset.annotations = JSON.stringify(annotations);
  return htmx.ajax("POST", stage().dataset.annotate, {
    source: stage(),
    target: stage().dataset.swap,
    swap: "outerMorph",
    values: { csrfmiddlewaretoken: token(), annotations: JSON.stringify(annotations), before: JSON.stringify(before) },
  });
}
const update = (id, changes) => save(current().map((a) => (a.id === id ? { ...a, ...changes } : a)));

function undo() {
  const step = earlier.pop();
  if (!step || step.address !== stage().dataset.annotate) return;
  later.push({ address: step.address, annotations: current() });
  save(step.annotations, false);
}
function redo() {
  const step = later.pop();
  if (!step || step.address !== stage().dataset.annotate) return;
  earlier.push({ address: step.address, annotations: current() });
  save(step.annotations, false);
}

// The plot, or the part of a picture without axes, that a pixel belongs to: the nearest of those around it.
const middle = ({ x, y }) => [(x.range[0] + x.range[1]) / 2, (y.range[0] + y.range[1]) / 2];
const holds = ([left, top, right, bottom], x, y) => x >= left && x <= right && y >= top && y <= bottom;
function fieldAt(x, y) {
  const { fields, ...whole } = axes();
  if (!fields.length) return { key: "", ...whole };
  const far = (field) => Math.hypot(middle(field)[0] - x, middle(field)[1] - y);
  const around = fields.filter(({ plot }) => holds(plot, x, y));
  return (around.length ? around : fields).reduce((best, one) => (far(one) < far(best) ? one : best));
}
function fieldOf({ panel = "" }) {
  const { fields, ...whole } = axes();
  return fields.find(({ key }) => key === panel) ?? fields[0] ?? whole;
}
// Where nothing can be placed, or no stretch of an axis be marked, the tools say why.
function unable(kind) {
  const { x, y, fields } = axes();
  if (!fields.length && !(x && y)) return "There is nothing in this picture yet that a note could stand at.";
  const ranged = fields.length ? fields.some((field) => !field.x.keys) : !x.keys;
  const measured = fields.length ? fields.some((field) => !field.x.keys || !field.y.keys) : !x.keys || !y.keys;
  if (kind === "line" && !measured) return "A line stands at a place of a measured axis; this picture has none.";
  return kind === "range" && !ranged ? "A range marks a stretch of an axis of numbers or time; this picture has none across." : "";
}

const newId = () => Date.now().toString(36) + Math.floor(Math.random() * 1296).toString(36);
const at = (field, x, y) => ({ x: toData(field.x, x), y: toData(field.y, y) });

// Keeps a fresh or moved mark inside its plot: anchors outside it could not be drawn.
function inside({ plot: [left, top, right, bottom] }, x, y) {
  return [Math.max(left, Math.min(right, x)), Math.max(top, Math.min(bottom, y))];
}

async function add(kind, from, to) {
  const id = newId();
  // what an arrow points at says in which plot it stands
  const field = fieldAt(...(kind === "arrow" ? to : from));
  const a = at(field, ...inside(field, ...from));
  const b = at(field, ...inside(field, ...to));
  const panel = field.key ? { panel: field.key } : {};
  const made = {
    note: { mark: "note", id, x: a.x, y: a.y, text: "", ...panel },
    arrow: { mark: "arrow", id, x: a.x, y: a.y, to_x: b.x, to_y: b.y, ...panel },
    range: { mark: "range", id, low: Math.min(a.x, b.x), high: Math.max(a.x, b.x), ...panel },
    line: line(field, id, a, panel),
    ring: { mark: "ring", id, x: a.x, y: a.y, to_x: b.x, to_y: b.y, ...panel },
    bracket: { mark: "bracket", id, x: a.x, y: a.y, to_x: b.x, to_y: b.y, ...panel },
  }[kind];
  tool = "";
  chosen = id;
  hint("");
  await save([...current(), made]);
  const words = ["note", "line"].includes(kind) ? $(`#annotation-text-${id}`) : $(`#stage [data-annotation="${id}"]`);
  words?.focus();
}

// A line stands across the measured axis: of two the one that goes up.
function line(field, id, place, panel) {
  const axis = field.y.keys ? "x" : "y";
  return { mark: "line", id, at: place[axis], axis, ...panel };
}

// Without a hand: a mark lands in the middle of the plot and is moved with the arrows.
function addInTheMiddle(kind) {
  const [left, top, right, bottom] = (axes().fields[0] ?? axes()).plot;
  const x = left + (right - left) * 0.55;
  const y = top + (bottom - top) * 0.35;
  add(kind, [x, y], kind === "range" ? [x + (right - left) * 0.15, y] : [x - 60, y + 70]);
}

document.addEventListener("click", (event) => {
  const button = event.target.closest?.("[data-tool]");
  if (button) {
    on = true;
    const why = unable(button.dataset.tool);
    if (why) {
      tool = "";
      show();
      return hint(why);
    }
    // a click without a pointer is a press of Enter
    if (event.detail === 0) return addInTheMiddle(button.dataset.tool);
    tool = tool === button.dataset.tool ? "" : button.dataset.tool;
    const words = { note: "Click where the note goes.", arrow: "Drag from tail to head.", range: "Drag along the axis.", line: "Click where the line goes.", ring: "Drag round the marks.", bracket: "Drag from one mark to the other." };
    show();
    hint(words[tool] ?? "");
  }
  if (event.target.closest?.("[data-undo]")) undo();
  if (event.target.closest?.("[data-redo]")) redo();
  const offer = event.target.closest?.("[data-offer]");
  if (offer) {
    const made = JSON.parse(offer.dataset.offer);
    on = true;
    chosen = made.id;
    save([...current().filter(({ id }) => id !== made.id), made]);
  }
});

// ---- by hand ----
let drag = null;
document.addEventListener("pointerdown", (event) => {
  if (!on || event.button !== 0 || !svg()?.contains(event.target)) return;
  const start = pixel(svg(), event);
  const mark = event.target.closest(".annotation");
  if (tool) drag = { tool, start, end: start };
  else if (mark) {
    chosen = mark.dataset.annotation;
    drag = { id: chosen, handle: event.target.dataset.handle ?? "move", mark, start, end: start };
    mark.focus({ preventScroll: true });
  } else return;
  event.preventDefault();
});
addEventListener("pointermove", (event) => {
  if (!drag) return;
  drag.end = pixel(svg(), event);
  if (drag.tool && !["note", "line"].includes(drag.tool)) preview(drag);
  if (drag.mark && drag.handle === "move") {
    drag.mark.setAttribute("transform", `translate(${drag.end.x - drag.start.x} ${drag.end.y - drag.start.y})`);
  }
});
addEventListener("pointerup", () => {
  if (!drag) return;
  const done = drag;
  drag = null;
  // the click that ends a drag lights nothing
  justPlaced = true;
  setTimeout(() => { justPlaced = false; }, 0);
  $(".sweep", svg())?.remove();
  const [dx, dy] = [done.end.x - done.start.x, done.end.y - done.start.y];
  const far = Math.hypot(dx, dy) > 4;
  if (done.tool === "note" || done.tool === "line") return void add(done.tool, [done.end.x, done.end.y], [done.end.x, done.end.y]);
  if (done.tool) {
    const end = far ? [done.end.x, done.end.y] : [done.start.x - 50, done.start.y + 60];
    return void add(done.tool, [done.start.x, done.start.y], end);
  }
  done.mark.removeAttribute("transform");
  if (far) move(done.id, done.handle, dx, dy);
  else show();
});

function preview({ start, end }) {
  let shape = $(".sweep", svg());
  if (!shape) {
    shape = document.createElementNS("http://www.w3.org/2000/svg", "path");
    shape.setAttribute("class", "arrow-shaft sweep");
    svg().append(shape);
  }
  shape.setAttribute("d", `M${start.x} ${start.y}L${end.x} ${end.y}`);
}

// Moves an annotation, or one end of it, by pixels.
function move(id, handle, dx, dy) {
  const a = current().find((b) => b.id === id);
  if (!a) return;
  const field = fieldOf(a);
  const { x, y } = field;
  const shifted = (px, py) => at(field, ...inside(field, toPixel(x, px) + dx, toPixel(y, py) + dy));
  if (a.mark === "range") {
    const by = toData(x, dx) - toData(x, 0);
    const low = handle === "high" ? a.low : a.low + by;
    const high = handle === "low" ? a.high : a.high + by;
    return update(id, { low: Math.min(low, high), high: Math.max(low, high) });
  }
  if (a.mark === "line") {
    const axis = a.axis ?? "y";
    return update(id, { at: toData(field[axis], toPixel(field[axis], a.at) + (axis === "y" ? dy : dx)) });
  }
  const changes = {};
  const ended = a.to_x !== undefined;
  // a bracket that is moved by hand stands between places, no longer between its marks
  if (a.marks) changes.marks = null;
  if (handle !== "to") Object.assign(changes, shifted(a.x, a.y));
  if (ended && handle !== "from") {
    const head = shifted(a.to_x, a.to_y);
    Object.assign(changes, { to_x: head.x, to_y: head.y });
  }
  return update(id, changes);
}

// ---- by keyboard: arrows move, Alt moves the far end, Enter writes, Delete removes ----
document.addEventListener("keydown", async (event) => {
  if (!on) return;
  if ((event.ctrlKey || event.metaKey) && event.key.toLowerCase() === "z" && !event.target.closest("input, textarea")) {
    event.preventDefault();
    return event.shiftKey ? redo() : undo();
  }
  const mark = event.target.closest?.("#stage .annotation");
  if (!mark) return;
  const id = mark.dataset.annotation;
  const step = event.shiftKey ? 1 : STEP;
  const by = { ArrowLeft: [-step, 0], ArrowRight: [step, 0], ArrowUp: [0, -step], ArrowDown: [0, step] }[event.key];
  if (by) {
    event.preventDefault();
    const kind = current().find((a) => a.id === id)?.mark;
    const far = event.altKey ? { arrow: "to", ring: "to", bracket: "to", range: "high" }[kind] : undefined;
    await move(id, far ?? "move", ...by);
    $(`#stage [data-annotation="${id}"]`)?.focus();
  } else if (event.key === "Delete" || event.key === "Backspace") {
    event.preventDefault();
    await save(current().filter((a) => a.id !== id));
    $("[data-tool]").focus();
  } else if (event.key === "Enter") {
    event.preventDefault();
    $(`#annotation-text-${id}`)?.focus();
  }
});

document.addEventListener("htmx:after:swap", show);
export function alwaysAnnotating() {
  on = true;
  show();
}
