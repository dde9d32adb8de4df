// A tree taller than its room: a small one of the whole beside it says what is in sight, and leads elsewhere.
import { $, unseen } from "./common.js";

const MAKES = "http://www.w3.org/2000/svg";
const LEAST = 1.35;
const stage = () => $("#stage");
const drawn = () => $("#stage > svg.tall");

function made(name, values) {
  const one = document.createElementNS(MAKES, name);
  for (const [key, value] of Object.entries(values)) one.setAttribute(key, value);
  return one;
}
// A mark without what makes it one: it is seen, not pressed or read out.
function bare(shape) {
  const copy = shape.cloneNode(false);
  copy.removeAttribute("id");
  return copy;
}
function place() {
  const seen = $("#sight .seen");
  const svg = drawn();
  if (!seen || !svg) return;
  const high = Number(svg.getAttribute("height"));
  const share = high / Math.max(svg.clientHeight, 1);
  seen.setAttribute("y", stage().scrollTop * share);
  seen.setAttribute("height", Math.min(stage().clientHeight * share, high));
}
// what was measured before it had its size is built once it has
const sized = new ResizeObserver(() => ($("#sight") ? place() : build()));
function build() {
  const focused = $("#sight")?.contains(document.activeElement);
  $("#sight")?.remove();
  const svg = drawn();
  const room = stage();
  const marks = svg?.querySelector("g.marks");
  if (!marks?.querySelector(".kin-card")) return;
  sized.observe(svg);
  const whole = room.classList.contains("whole");
  if (!whole && svg.clientHeight < LEAST * room.clientHeight) return;
  const [wide, high] = ["width", "height"].map((name) => Number(svg.getAttribute(name)));
  const [outer, box] = ["sight", "sight-box"].map((name) => Object.assign(document.createElement("div"), { id: name }));
  outer.append(box);
  const button = document.createElement("button");
  button.type = "button";
  button.className = "quiet";
  button.textContent = whole ? "as large as it reads" : "all of it";
  button.addEventListener("click", () => {
    room.classList.toggle("whole");
    button.focus();
    build();
  });
  box.append(button);
  if (!whole) {
    const small = made("svg", { viewBox: `0 0 ${wide} ${high}`, "aria-hidden": "true", class: "small-whole" });
    small.style.aspectRatio = `${wide} / ${high}`;
    small.append(...[...marks.querySelectorAll(".kin-card, .lit")].map(bare), made("rect", { class: "seen", x: 0, width: wide, y: 0, height: 1 }));
    const go = (event) => {
      const at = small.getBoundingClientRect();
      room.scrollTop = ((event.clientY - at.top) / at.height) * svg.clientHeight - room.clientHeight / 2;
    };
    small.addEventListener("pointerdown", (event) => {
      event.preventDefault();
      event.stopPropagation();
      small.setPointerCapture(event.pointerId);
      go(event);
    });
    small.addEventListener("pointermove", (event) => small.hasPointerCapture(event.pointerId) && go(event));
    box.append(small);
  }
  room.append(outer);
  if (focused) button.focus({ preventScroll: true });
  place();
}
addEventListener("scroll", place, { capture: true, passive: true });
addEventListener("resize", build);
// what comes by itself beside the picture leaves alone what is held here
document.addEventListener("htmx:after:swap", (event) => unseen(event) || setTimeout(build, 0));
// a morph that comes behind the swap takes away what it does not know
new MutationObserver(() => drawn() && !$("#sight") && requestAnimationFrame(build)).observe(document.body, {
  childList: true,
  subtree: true,
});
build();
