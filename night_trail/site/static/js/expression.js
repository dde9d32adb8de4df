// Completing column names and functions as an expression is typed, and taking
// over an expression that was found from examples.
import { $, $$ } from "./common.js";

const box = $("#sql");
const list = $("#completions");
const known = JSON.parse($("#known-words").textContent);
let at = 0;

// The word before the caret: plain, or begun with a double quote.
function word() {
  const before = box.value.slice(0, box.selectionStart);
  return before.match(/"[^"]*$|[\p{L}_][\p{L}\p{N}_]*$/u)?.[0] ?? "";
}

function close() {
  list.hidden = true;
  box.setAttribute("aria-expanded", "false");
  box.removeAttribute("aria-activedescendant");
}

function choose(index) {
  at = index;
  for (const [i, item] of $$("li", list).entries()) item.setAttribute("aria-selected", String(i === at));
  const item = list.children[at];
  item?.scrollIntoView({ block: "nearest" });
  if (item) box.setAttribute("aria-activedescendant", item.id);
}

function open() {
  const typed = word();
  const plain = typed.replace(/^"/, "").toLowerCase();
  const inText = (box.value.slice(0, box.selectionStart).match(/'/g) ?? []).length % 2;
  if (!typed || inText) return close();
  const found = known.filter((k) => {
    const name = k.replace(/^"/, "").toLowerCase();
    return name.startsWith(plain) && name !== plain;
  });
  const also = known.filter((k) => !found.includes(k) && plain.length > 1 && k.toLowerCase().includes(plain) && k.toLowerCase() !== plain);
  const shown = [...found, ...also].slice(0, 10);
  if (!shown.length) return close();
  list.replaceChildren(
    ...shown.map((text, i) => {
      const item = document.createElement("li");
      item.role = "option";
      item.id = `completion-${i}`;
      item.textContent = text;
      item.addEventListener("pointerdown", (event) => {
        event.preventDefault();
        choose(i);
        take();
      });
      return item;
    }),
  );
  list.hidden = false;
  box.setAttribute("aria-expanded", "true");
  choose(0);
}

function take() {
  const text = list.children[at].textContent;
  const start = box.selectionStart - word().length;
  box.setRangeText(text, start, box.selectionStart, "end");
  close();
  box.dispatchEvent(new Event("input", { bubbles: true }));
  close();
}

box.addEventListener("input", open);
box.addEventListener("blur", close);
box.addEventListener("keydown", (event) => {
  if (list.hidden) return;
  const step = { ArrowDown: 1, ArrowUp: -1 }[event.key];
  if (step) choose((at + step + list.children.length) % list.children.length);
  else if (event.key === "Tab" || event.key === "Enter") take();
  else if (event.key === "Escape") close();
  else return;
  event.preventDefault();
});

document.addEventListener("click", (event) => {
  const found = event.target.closest("[data-use-sql]");
  if (!found) return;
  box.value = found.dataset.useSql;
  box.dispatchEvent(new Event("input", { bubbles: true }));
  close();
  ($("#new-name").value ? box : $("#new-name")).focus();
});
