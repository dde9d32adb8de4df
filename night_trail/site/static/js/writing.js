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
      fetch(stops.dataset.order, {
        method: "POST",
        body: new URLSearchParams({
          csrfmiddlewaretoken: token(),
          move: item.dataset.stop,
          behind: before?.dataset.stop ?? "",
        }),
        headers: { "HX-Request": "true" },
      });
    },
  });
}

// ---- the picture is varied by doing it on the picture ----
const turn = (change) => htmx.ajax("POST", $("#writing").dataset.turn, {
  source: $("#writing"),
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
