// Writing a tale: stops dragged into order, the picture annotated, lit and turned in
// place, the text edited as it will be read, headings that follow what is typed.
import { $, onLoop, onSweep, token } from "./common.js";
import { alwaysAnnotating, annotating, placing } from "./annotate.js";
import { editing } from "./editor.js";

function sortable() {
  const stops = $("#stops");
  if (!stops || !window.Sortable || Sortable.get(stops)) return;
  Sortable.create(stops, {
    draggable: ".stop-item",
    animation: matchMedia("(prefers-reduced-motion: reduce)").matches ? 0 : 150,
    // which stop it is and behind which it lies now: what others moved meanwhile stays moved
    onEnd: ({ item }) => {
      let before = item.previousElementSibling;
      while (before && !before.dataset.stop) before = before.previousElementSibling;
      htmx.ajax("POST", stops.dataset.order, {
        source: $("#from-here"),
        target: ".stops-side",
        swap: "outerMorph",
        values: {
          csrfmiddlewaretoken: token(),
          move: item.dataset.stop,
          behind: before?.dataset.stop ?? "",
          here: $(".stop-item.here")?.dataset.stop ?? "",
        },
      });
    },
  });
}

// ---- the picture is varied by doing it on the picture ----
const turn = (change) => htmx.ajax("POST", $("#writing").dataset.turn, {
  // an element without forms: those it holds would be sent along
  source: $("#from-here"),
  target: "#writing",
  swap: "outerMorph",
  values: { csrfmiddlewaretoken: token(), change: JSON.stringify(change) },
});
const light = (rows, add) => turn({ turn: "light", rows, add });
document.addEventListener("click", (event) => {
  if (placing() || !$("#stage")?.contains(event.target)) return;
  const mark = event.target.closest(".mark");
  if (mark?.dataset.turn) return turn(JSON.parse(mark.dataset.turn));
  if (mark?.dataset.light) return light(JSON.parse(mark.dataset.light), event.shiftKey);
  if (event.target.closest(".ground") && $(".vary .chip.lantern")) turn({ turn: "put out" });
});
document.addEventListener("keydown", (event) => {
  const mark = event.target.closest?.("#stage .mark");
  if (mark?.dataset.light && (event.key === "Enter" || event.key === " ")) {
    event.preventDefault();
    light(JSON.parse(mark.dataset.light), event.shiftKey);
  }
});
onSweep((swept, svg) => { if (!placing() && $("#stage")?.contains(svg)) turn(swept); });
onLoop((loop, add) => { if (!placing()) light(loop, add); });

// ---- an overview: tiles are dragged by their grip, sized by their corner; a click lights in all ----
const tiles = (values) => htmx.ajax("POST", $(".overview").dataset.tiles, {
  // an element without forms: those it holds would be sent along
  source: $("#from-here"),
  target: "#writing",
  swap: "outerMorph",
  values: { csrfmiddlewaretoken: token(), ...values },
});
document.addEventListener("click", (event) => {
  const mark = event.target.closest?.(".overview[data-tiles] .mark");
  if (mark?.dataset.light) tiles({ light: mark.dataset.light, ...(event.shiftKey ? { add: "1" } : {}) });
});
let held = null;
document.addEventListener("pointerdown", (event) => {
  const handle = event.target.closest?.(".tile .grip, .tile .corner");
  if (!handle) return;
  const tile = handle.closest(".tile");
  held = { tile, sizes: handle.matches(".corner"), x: event.clientX, y: event.clientY };
  tile.classList.add("dragged");
  event.preventDefault();
});
addEventListener("pointermove", (event) => {
  if (held && !held.sizes) held.tile.style.transform = `translate(${event.clientX - held.x}px, ${event.clientY - held.y}px)`;
});
addEventListener("pointerup", (event) => {
  if (!held) return;
  const { tile, sizes, x, y } = held;
  held = null;
  tile.classList.remove("dragged");
  tile.style.transform = "";
  const grid = $(".overview").getBoundingClientRect();
  const [across, down] = [Math.round((event.clientX - x) / (grid.width / 12)), Math.round((event.clientY - y) / 58)];
  if (!across && !down) return;
  const { x: left, y: top, w, h } = tile.dataset;
  const to = sizes ? { w: Number(w) + across, h: Number(h) + down } : { x: Number(left) + across, y: Number(top) + down };
  tiles({ tile: tile.dataset.tile, move: "to", ...Object.fromEntries(Object.entries(to).map(([k, v]) => [k, Math.max(0, v)])) });
});

document.addEventListener("input", (event) => {
  if (event.target.id === "stop-heading") {
    const shown = $(".stop-item.here .stop-heading");
    if (shown) shown.textContent = event.target.value;
  }
});
document.addEventListener("click", (event) => {
  if (event.target.id === "new-link") event.target.select();
});
function afresh() {
  sortable();
  editing();
  if ($("#stage") && !annotating()) alwaysAnnotating();
}
document.addEventListener("htmx:after:swap", afresh);
addEventListener("load", afresh);
