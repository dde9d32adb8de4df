// A picture that plays through time: the server draws each period, the marks travel between them.
import { $, typing } from "./common.js";

const bar = () => $("#playing");
const labels = () => JSON.parse(bar().dataset.labels);
let timer = 0;
let asked = 0;
let whenThrough = null;
export const isPlaying = () => timer !== 0;

// A period is shown and leads nowhere yet: standing still there is what makes a step.
function show(at) {
  const { target, swap } = bar().dataset;
  // a walk knows where it stands, and what its reader lit and chose stands behind that
  const walk = $("#walk")?.dataset.address;
  const frame = walk ? walk + bar().dataset.frame.replace("?", walk.includes("?") ? "&" : "?") : bar().dataset.frame;
  bar().dataset.at = at;
  $("#play-at").value = at;
  $("#play-at").setAttribute("aria-valuetext", labels()[at]);
  $("#play-label").textContent = labels()[at];
  const number = (asked += 1);
  return htmx
    .ajax("GET", `${frame}${frame.includes("?") ? "&" : "?"}play=${at}`, { source: $(target), target, swap })
    .then(() => number === asked);
}
function dress() {
  const button = $("#play");
  if (!button) return;
  button.setAttribute("aria-pressed", String(isPlaying()));
  button.textContent = isPlaying() ? "❚❚ pause" : "▷ play";
}
async function on() {
  if (!bar()) return halt();
  const last = labels().length - 1;
  let at = Number(bar().dataset.at) + 1;
  if (at > last) {
    if (whenThrough || !$("#play-again").checked) return stand(true);
    at = 0;
  }
  const mine = timer;
  await show(at);
  // paused, or taken up again, while the picture was on its way
  if (timer === mine && isPlaying()) timer = setTimeout(on, Number($("#play-pace")?.value ?? 900));
}
export function halt(through = false) {
  clearTimeout(timer);
  timer = 0;
  whenThrough?.(through);
  whenThrough = null;
  dress();
}
function stand(through) {
  halt(through);
  if (bar()) bar().dispatchEvent(new CustomEvent("stand", { bubbles: true, detail: Number(bar().dataset.at) }));
}
const still = () => matchMedia("(prefers-reduced-motion: reduce)").matches;
// All periods once, from the first: whether it came to the last, and was not stopped on the way.
export function playThrough() {
  if (!bar() || still()) return Promise.resolve(true);
  halt();
  bar().dataset.at = -1;
  return new Promise((resolve) => {
    whenThrough = resolve;
    timer = setTimeout(on, 0);
    dress();
  });
}
function toggle() {
  if (isPlaying()) return stand();
  // who wants no motion sees the periods beside each other
  if (still() && $("#panels-toggle")) return $("#panels-toggle").click();
  if (Number(bar().dataset.at) >= labels().length - 1) bar().dataset.at = -1;
  timer = setTimeout(on, 0);
  dress();
}
function by(steps) {
  const at = Math.max(0, Math.min(labels().length - 1, Number(bar().dataset.at) + steps));
  halt();
  show(at).then((newest) => newest && stand());
}
document.addEventListener("click", (event) => {
  if (event.target.closest?.("#play")) toggle();
  const step = event.target.closest?.("[data-play-by]");
  if (step) by(Number(step.dataset.playBy));
});
let sliding = 0;
document.addEventListener("input", (event) => {
  if (event.target.id !== "play-at") return;
  halt();
  clearTimeout(sliding);
  const at = Number(event.target.value);
  $("#play-label").textContent = labels()[at];
  sliding = setTimeout(() => show(at), 60);
});
document.addEventListener("change", (event) => {
  if (event.target.id !== "play-at") return;
  clearTimeout(sliding);
  show(Number(event.target.value)).then((newest) => newest && stand());
});
document.addEventListener("keydown", (event) => {
  if (event.ctrlKey || event.metaKey || event.altKey || event.key !== "p" || !bar() || typing(event.target)) return;
  event.preventDefault();
  event.stopImmediatePropagation();
  toggle();
}, true);
document.addEventListener("htmx:after:swap", dress);
