// The text of a stop, edited as it will be read. What is typed becomes Markdown in
// the form's own field, which is what is kept; a figure of the picture is one
// piece that cannot be half deleted, and is written as a link to where it comes from.
import { $, $$ } from "./common.js";

const editor = () => $("#stop-prose");
const field = () => $("#stop-text");
const figures = () => JSON.parse($("#known-figures")?.textContent ?? "[]");

// ---- what is shown, as Markdown ----
const escaped = (text) => text.replace(/([\\`*[\]<])|(?<!\w)_|_(?!\w)/g, "\\$&").replace(/\u00a0/g, "\u00a0");
const lineStart = (text) => text.replace(/^(\s*)(#{1,6}\s|>|[-+]\s|\d+[.)]\s)/, (all, blank, mark) => `${blank}\\${mark}`);

function inline(node) {
  if (node.nodeType === Node.TEXT_NODE) return escaped(node.textContent.replace(/[\n\t ]+/g, " "));
  if (node.nodeType !== Node.ELEMENT_NODE) return "";
  const inside = () => [...node.childNodes].map(inline).join("");
  if (node.matches(".bound")) return `[${escaped(node.textContent)}](figure:${node.dataset.figure})`;
  const wrap = (mark) => inside().replace(/^(\s*)(.*?)(\s*)$/s, (all, a, b, c) => (b ? a + mark + b + mark + c : all));
  switch (node.tagName) {
    case "BR": return "\\\n";
    case "B": case "STRONG": return wrap("**");
    case "I": case "EM": return wrap("*");
    case "CODE": return `\`${node.textContent}\``;
    case "A": return node.getAttribute("href") ? `[${inside()}](${node.getAttribute("href")})` : inside();
    default: return inside();
  }
}
const BLOCKS = "P, DIV, UL, OL, BLOCKQUOTE, H1, H2, H3, H4, PRE, HR";
function blocks(root) {
  const made = [];
  let loose = [];
  const settle = () => {
    const text = loose.map(inline).join("").replace(/(\\\n)+$/, "").trim();
    if (text) made.push(lineStart(text));
    loose = [];
  };
  for (const node of root.childNodes) {
    if (node.nodeType === Node.ELEMENT_NODE && node.matches(BLOCKS)) {
      settle();
      made.push(...block(node));
    } else loose.push(node);
  }
  settle();
  return made;
}
function list(node) {
  return [...node.children].map((item, at) => {
    const mark = node.tagName === "OL" ? `${at + 1}. ` : "- ";
    const inner = blocks(item).join("\n\n");
    return mark + inner.replace(/\n\n(?=(- |\d+\. ))/g, "\n").replaceAll("\n", `\n${" ".repeat(mark.length)}`);
  }).join("\n");
}
function block(node) {
  switch (node.tagName) {
    case "UL": case "OL": return [list(node)];
    case "BLOCKQUOTE": return [blocks(node).join("\n\n").replace(/^/gm, "> ")];
    case "H1": case "H2": case "H3": return [`# ${inline(node).trim()}`];
    case "H4": return [`## ${inline(node).trim()}`];
    case "PRE": return [`\`\`\`\n${node.textContent.replace(/\n$/, "")}\n\`\`\``];
    case "HR": return ["---"];
    default: return blocks(node);
  }
}
export const markdown = (root) => blocks(root).join("\n\n");

let unkept = false;
function keep() {
  const text = markdown(editor());
  if (text === field().value) return;
  field().value = text;
  unkept = true;
  field().dispatchEvent(new Event("input", { bubbles: true }));
}
// Who leaves the text, or the page, a moment after the last letter loses nothing.
document.addEventListener("focusout", (event) => {
  if (unkept && event.target.id === "stop-prose") field().dispatchEvent(new Event("change", { bubbles: true }));
});
document.addEventListener("htmx:before:request", (event) => {
  if (event.detail?.ctx?.sourceElement?.id === "stop-form") unkept = false;
});
const send = (more) => {
  const form = $("#stop-form");
  unkept = false;
  return fetch(form.action, { method: "POST", body: new FormData(form), headers: { "HX-Request": "true" }, ...more });
};
addEventListener("pagehide", () => { if (unkept && $("#stop-form")) send({ keepalive: true }); });
// What the server does to a text it does to the whole of it: the last letters go first.
document.addEventListener("submit", (event) => {
  if (!unkept || !event.target.closest?.(".bind-offer, .proposals, .undo-line")) return;
  event.preventDefault();
  event.stopImmediatePropagation();
  const { target, submitter } = event;
  send().then(() => target.requestSubmit(submitter));
}, true);

// ---- a figure at the caret ----
let caret = null;
document.addEventListener("selectionchange", () => {
  const at = getSelection();
  if (at.rangeCount && editor()?.contains(at.anchorNode)) caret = at.getRangeAt(0).cloneRange();
});
function atCaret() {
  const at = getSelection();
  // what is selected now comes before what was noted of it, which may be a letter behind
  if (document.activeElement === editor() && at.rangeCount && editor().contains(at.anchorNode)) return at.getRangeAt(0);
  editor().focus();
  if (caret && editor().contains(caret.startContainer)) {
    at.removeAllRanges();
    at.addRange(caret);
  } else {
    at.selectAllChildren(editor().lastElementChild ?? editor());
    at.collapseToEnd();
  }
  return at.getRangeAt(0);
}
function piece({ id, text, label }) {
  const span = document.createElement("span");
  span.className = "bound";
  span.contentEditable = "false";
  Object.assign(span.dataset, { figure: id, what: label });
  span.textContent = text;
  return span;
}
function insert(figure) {
  const range = atCaret();
  range.deleteContents();
  const span = piece(figure);
  range.insertNode(span);
  const before = span.previousSibling?.textContent ?? span.previousSibling?.nodeValue ?? "";
  if (before && !/[\s(„“‘–—-]$/.test(before)) span.before(" ");
  const after = document.createTextNode(span.nextSibling?.textContent ? "" : "\u00a0");
  span.after(after);
  range.setStartAfter(after);
  range.collapse(true);
  getSelection().removeAllRanges();
  getSelection().addRange(range);
  keep();
}

// ---- "/" opens the figures of the picture, and what is typed on narrows them ----
let slash = null;
const menu = () => $("#figure-menu");
function openMenu() {
  const range = getSelection().getRangeAt(0).cloneRange();
  slash = { node: range.startContainer, from: range.startOffset };
  fill("");
}
function closeMenu() {
  slash = null;
  const shown = menu();
  shown.hidden = true;
  editor()?.removeAttribute("aria-activedescendant");
}
function fill(typed) {
  const words = typed.toLowerCase().split(/\s+/).filter(Boolean);
  const found = figures().filter(({ label, text }) => words.every((w) => `${label} ${text}`.toLowerCase().includes(w))).slice(0, 9);
  const shown = menu();
  if (!found.length) return closeMenu();
  shown.replaceChildren(...found.map((figure, at) => {
    const item = document.createElement("div");
    item.id = `figure-option-${at}`;
    item.className = "choice plain";
    item.setAttribute("role", "option");
    item.setAttribute("aria-selected", String(at === 0));
    const text = document.createElement("b");
    text.textContent = figure.text;
    const label = document.createElement("span");
    label.className = "hint";
    label.textContent = figure.label;
    item.append(text, label);
    item.addEventListener("pointerdown", (event) => { event.preventDefault(); choose(figure); });
    item.figure = figure;
    return item;
  }));
  shown.hidden = false;
  const place = getSelection().getRangeAt(0).getBoundingClientRect();
  const around = shown.offsetParent.getBoundingClientRect();
  shown.style.top = `${(place.bottom || editor().getBoundingClientRect().bottom) - around.top + 6}px`;
  editor().setAttribute("aria-activedescendant", "figure-option-0");
}
function choose(figure) {
  const { node, from } = slash;
  const range = document.createRange();
  range.setStart(node, Math.max(from - 1, 0));
  const at = getSelection().getRangeAt(0);
  range.setEnd(at.endContainer, at.endOffset);
  range.deleteContents();
  closeMenu();
  insert(figure);
}
function step(by) {
  const items = $$("[role=option]", menu());
  const now = items.findIndex((item) => item.getAttribute("aria-selected") === "true");
  const next = (now + by + items.length) % items.length;
  items.forEach((item, at) => item.setAttribute("aria-selected", String(at === next)));
  items[next].scrollIntoView({ block: "nearest" });
  editor().setAttribute("aria-activedescendant", items[next].id);
}

document.addEventListener("input", (event) => {
  if (!event.target.closest?.("#stop-prose")) return;
  if (slash) {
    const at = getSelection().getRangeAt(0);
    const typed = at.startContainer === slash.node ? slash.node.textContent.slice(slash.from, at.startOffset) : null;
    if (typed === null || at.startOffset < slash.from || /[.,;:!?\n]/.test(typed)) closeMenu();
    else fill(typed);
  } else if (event.data === "/" && figures().length) {
    const at = getSelection().getRangeAt(0);
    if (/(^|[\s\u00a0(])\/$/.test(at.startContainer.textContent.slice(0, at.startOffset))) openMenu();
  }
  if (!slash) keep();
});
document.addEventListener("keydown", (event) => {
  if (!event.target.closest?.("#stop-prose")) return;
  if (slash) {
    const done = {
      ArrowDown: () => step(1),
      ArrowUp: () => step(-1),
      Enter: () => choose($("[aria-selected=true]", menu()).figure),
      Tab: () => choose($("[aria-selected=true]", menu()).figure),
      Escape: () => { closeMenu(); keep(); },
    }[event.key];
    if (done) {
      event.preventDefault();
      event.stopPropagation();
      return done();
    }
  }
  const shortcut = (event.ctrlKey || event.metaKey) && { b: "bold", i: "italic", k: "link" }[event.key.toLowerCase()];
  if (shortcut) {
    event.preventDefault();
    format(shortcut);
  }
}, true);
document.addEventListener("focusout", (event) => {
  if (event.target.closest?.("#stop-prose") && slash) closeMenu();
});

// ---- bold, lists, quotes, links ----
function format(how) {
  atCaret();
  if (how === "link") {
    const form = $("#link-form");
    form.hidden = !form.hidden;
    if (!form.hidden) {
      const inside = getSelection().anchorNode?.parentElement?.closest("a");
      $("input", form).value = inside?.getAttribute("href") ?? "https://";
      $("input", form).focus();
    }
    return;
  }
  const commands = { bold: ["bold"], italic: ["italic"], list: ["insertUnorderedList"], numbers: ["insertOrderedList"], quote: ["formatBlock", "blockquote"], plain: ["formatBlock", "p"] };
  document.execCommand(...[commands[how][0], false, commands[how][1] ?? null]);
  keep();
}
document.addEventListener("pointerdown", (event) => {
  // the text keeps its selection while a button of it is pressed
  if (event.target.closest?.("[data-format]")) event.preventDefault();
});
document.addEventListener("click", (event) => {
  const button = event.target.closest?.("[data-format]");
  if (button) return format(button.dataset.format);
  const chip = event.target.closest?.("[data-figure-chip]");
  if (chip) return insert(figures().find(({ id }) => id === chip.dataset.figureChip));
  if (event.target.closest?.("#stop-prose a")) event.preventDefault();
});
document.addEventListener("submit", (event) => {
  if (event.target.id !== "link-form") return;
  event.preventDefault();
  const address = $("input", event.target).value.trim();
  event.target.hidden = true;
  const range = atCaret();
  if (!address || address === "https://") document.execCommand("unlink");
  else if (/^(https?:\/\/|mailto:)\S+$/.test(address)) {
    if (range.collapsed) range.insertNode(document.createTextNode(address)), getSelection().selectAllChildren(range.startContainer);
    document.execCommand("createLink", false, address);
  }
  keep();
});
document.addEventListener("paste", (event) => {
  if (!event.target.closest?.("#stop-prose")) return;
  event.preventDefault();
  document.execCommand("insertText", false, event.clipboardData.getData("text/plain"));
});

// Called after every swap: the text as it is read takes the place of the plain field.
export function editing() {
  const here = editor();
  if (!here || here.isContentEditable) return;
  document.execCommand("defaultParagraphSeparator", false, "p");
  here.contentEditable = "true";
  for (const one of $$(".bound", here)) one.contentEditable = "false";
  for (const tool of $$(".editing-only")) tool.hidden = false;
  field().hidden = true;
}
