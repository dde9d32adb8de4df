// Writing a tale: stops dragged into order, the picture annotated in place,
// headings that follow what is typed.
import { $, $$, token } from "./common.js";
import { alwaysAnnotating } from "./annotate.js";

function sortable() {
  const stops = $("#stops");
  if (!stops || !window.Sortable || Sortable.get(stops)) return;
  Sortable.create(stops, {
    animation: matchMedia("(prefers-reduced-motion: reduce)").matches ? 0 : 150,
    // which stop it is and behind which it lies now: what others moved meanwhile stays moved
    onEnd: ({ item }) => {
      fetch(stops.dataset.order, {
        method: "POST",
        body: new URLSearchParams({
          csrfmiddlewaretoken: token(),
          move: item.dataset.stop,
          behind: item.previousElementSibling?.dataset.stop ?? "",
        }),
        headers: { "HX-Request": "true" },
      });
    },
  });
}

document.addEventListener("input", (event) => {
  if (event.target.id === "stop-heading") {
    const shown = $(".stop-item.here .stop-heading");
    if (shown) shown.textContent = event.target.value;
  }
});
document.addEventListener("click", (event) => {
  if (event.target.id === "new-link") event.target.select();
});
document.addEventListener("htmx:after:swap", sortable);
addEventListener("load", () => {
  sortable();
  if ($("#stage")) alwaysAnnotating();
});
