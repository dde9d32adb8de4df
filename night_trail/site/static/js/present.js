// Presenting: notes here, the walk in a window of its own. Each tells the other where it is.
import { $ } from "./common.js";

const here = () => $("#present");
const channel = new BroadcastChannel(`walk-of-${here().dataset.tale}`);

function go(address, tells = true) {
  if (!address) return;
  htmx.ajax("GET", address, { source: here(), target: "#present", swap: "outerMorph", push: address }).then(() => {
    if (tells) channel.postMessage({ go: here().dataset.walk });
  });
}
channel.addEventListener("message", ({ data }) => {
  if (!data.at || data.at === here().dataset.at) return;
  const [number, beat] = data.at.split(" ");
  const address = here().dataset.address.replace(/\d+\/$/, `${Number(number)}/`);
  go(Number(beat) > 1 ? `${address}?beat=${Number(beat)}` : address, false);
});
document.addEventListener("click", (event) => {
  const link = event.target.closest?.("[data-go]");
  if (!link || event.ctrlKey || event.metaKey) return;
  event.preventDefault();
  go(link.getAttribute("href"));
});
document.addEventListener("keydown", (event) => {
  if (event.ctrlKey || event.metaKey || event.altKey) return;
  if (event.target.closest?.("a, button") && [" ", "Enter"].includes(event.key)) return;
  const { back, on } = here().dataset;
  const way = { ArrowRight: on, " ": on, PageDown: on, ArrowLeft: back, PageUp: back }[event.key];
  if (way === undefined) return;
  event.preventDefault();
  go(way);
});

// ---- a light that moves over the picture there as the pointer does here ----
document.addEventListener("pointermove", (event) => {
  const picture = $("#present-now");
  if (!picture) return;
  const box = picture.getBoundingClientRect();
  const [x, y] = [(event.clientX - box.left) / box.width, (event.clientY - box.top) / box.height];
  channel.postMessage({ light: x < 0 || x > 1 || y < 0 || y > 1 ? null : [x, y] });
});

// ---- the clock ----
let began = Date.now();
function tick() {
  const seconds = Math.floor((Date.now() - began) / 1000);
  $("#clock-since").textContent = `${Math.floor(seconds / 60)}:${String(seconds % 60).padStart(2, "0")}`;
  $("#clock-now").textContent = new Date().toLocaleTimeString([], { hour: "2-digit", minute: "2-digit" });
}
$("#clock").hidden = false;
$("#clock-anew").addEventListener("click", () => {
  began = Date.now();
  tick();
});
setInterval(tick, 1000);
tick();
