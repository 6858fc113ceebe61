// The looks of the invariants for everybody (test_everybody.py): each gives back the faults it finds on the page.
const HIDDEN = ".visually-hidden, .visually-hidden-focusable, script, style, template, title, desc, option, math";
const nameOf = (one) => `${one.tagName}.${one.className.baseVal ?? one.className}`;

// As a reader may space a text out (WCAG 1.4.12).
function spaceOut() {
  const sheet = new CSSStyleSheet();
  sheet.replaceSync("* { line-height: 1.5 !important; letter-spacing: .12em !important; word-spacing: .16em !important } p { margin-bottom: 2em !important }");
  document.adoptedStyleSheets = [...document.adoptedStyleSheets, sheet];
}

// What is wider than the page, and what hides a part of its words.
function cut() {
  const found = document.documentElement.scrollWidth > innerWidth ? [`the page is ${document.documentElement.scrollWidth} wide`] : [];
  for (const one of document.querySelectorAll("body *")) {
    if (!one.checkVisibility() || one.closest(`${HIDDEN}, svg, .lone label, dialog:not([open]), select`)) continue;
    const { overflowX, overflowY } = getComputedStyle(one);
    const hides = (overflow) => overflow === "hidden" || overflow === "clip";
    const isInput = one.matches("input");
    if ((isInput || hides(overflowX)) && one.scrollWidth > one.clientWidth + 1) found.push(`${nameOf(one)} ${one.value || one.textContent.trim()}`);
    if (!isInput && hides(overflowY) && one.scrollHeight > one.clientHeight + 1) found.push(`${nameOf(one)} ${one.textContent.trim()}`);
  }
  return found;
}

// The control with the focus, where nothing of it is seen.
function covered() {
  const focused = document.activeElement;
  if (!focused || focused === document.body) return null;
  const one = (focused.matches("[type=radio], [type=checkbox]") && focused.closest("label")) || focused;
  const { left, top, width, height } = one.getBoundingClientRect();
  const isSeen = [[0.5, 0.5], [0.1, 0.5], [0.9, 0.5], [0.5, 0.15], [0.5, 0.85]].some(([across, down]) => {
    const hit = document.elementFromPoint(left + width * across, top + height * down);
    return hit && (one.contains(hit) || (hit.contains(one) && !hit.matches("html, body, main")));
  });
  return isSeen ? "" : `${nameOf(one)} ${(one.textContent || one.name).trim().slice(0, 40)} at ${Math.round(top)}`;
}

// Colours as they are painted: of a text, of what lies beneath it, a pattern by its ground, all that is see-through blended.
const brush = document.createElement("canvas").getContext("2d", { willReadFrequently: true });
const colours = new Map();
function colourOf(text) {
  if (!colours.has(text)) {
    brush.clearRect(0, 0, 1, 1);
    brush.fillStyle = text;
    brush.fillRect(0, 0, 1, 1);
    const [red, green, blue, alpha] = brush.getImageData(0, 0, 1, 1).data;
    colours.set(text, [red, green, blue, alpha / 255]);
  }
  return [...colours.get(text)];
}
const blend = (over, under) => [0, 1, 2].map((at) => over[at] * over[3] + under[at] * (1 - over[3])).concat(1);
function luminance(colour) {
  const [red, green, blue] = colour.slice(0, 3).map((value) => (value / 255 <= 0.03928 ? value / 255 / 12.92 : ((value / 255 + 0.055) / 1.055) ** 2.4));
  return 0.2126 * red + 0.7152 * green + 0.0722 * blue;
}
function opacityOf(one) {
  let opacity = 1;
  for (let at = one; at; at = at.parentElement) opacity *= Number(getComputedStyle(at).opacity);
  return opacity;
}
function paintOf(one) {
  if (one.matches("text, tspan, g")) return null;
  const style = getComputedStyle(one);
  let fill = one instanceof SVGElement && !(one instanceof SVGSVGElement) ? style.fill : style.backgroundColor;
  const pattern = /url\("?#([^")]+)"?\)/.exec(fill);
  if (pattern) {
    const ground = document.getElementById(pattern[1])?.querySelector("rect, path");
    fill = ground ? getComputedStyle(ground).fill : "none";
  }
  if (fill === "none") return null;
  const colour = colourOf(fill);
  colour[3] *= opacityOf(one);
  return colour[3] ? colour : null;
}
function beneath(stack) {
  const layers = [];
  for (const one of stack) {
    const colour = paintOf(one);
    if (colour) layers.push(colour);
    if (colour && colour[3] > 0.999) break;
  }
  return layers.reverse().reduce((under, over) => blend(over, under), [...colourOf("Canvas").slice(0, 3), 1]);
}

// Every text whose contrast is too little (WCAG 1.4.3), once for each kind; how many were looked at.
function pale() {
  const found = new Map();
  let looked = 0;
  const walk = document.createTreeWalker(document.body, NodeFilter.SHOW_TEXT);
  while (walk.nextNode()) {
    const one = walk.currentNode.parentElement;
    if (!walk.currentNode.textContent.trim() || !one.checkVisibility() || one.closest(`${HIDDEN}, :disabled, [aria-disabled=true]`)) continue;
    const range = document.createRange();
    range.selectNodeContents(walk.currentNode);
    const box = () => [...range.getClientRects()].find(({ width, height }) => width > 1 && height > 1);
    const middle = ({ left, top, width, height }) => [left + width / 2, top + height / 2];
    if (!box()) continue;
    let [x, y] = middle(box());
    if (x < 0 || y < 0 || x > innerWidth || y > innerHeight) {
      one.scrollIntoView({ block: "center", inline: "center" });
      [x, y] = middle(box());
    }
    const stack = document.elementsFromPoint(x, y);
    if (!stack.some((other) => other === one || one.contains(other) || other.contains(one))) continue;
    looked += 1;
    const style = getComputedStyle(one);
    const under = beneath(stack);
    const colour = colourOf(one instanceof SVGElement ? style.fill : style.color);
    colour[3] *= opacityOf(one);
    const [light, dark] = [luminance(blend(colour, under)), luminance(under)].sort((a, b) => b - a);
    const matrix = one instanceof SVGElement && one.getScreenCTM ? one.getScreenCTM() : { a: 1, d: 1 };
    const size = parseFloat(style.fontSize) * Math.sqrt(Math.abs(matrix.a * matrix.d));
    const isLarge = size >= 24 || (size >= 18.66 && Number(style.fontWeight) >= 700);
    const ratio = (light + 0.05) / (dark + 0.05);
    if (ratio < (isLarge ? 3 : 4.5) - 0.02) found.set(nameOf(one), `${ratio.toFixed(2)} ${walk.currentNode.textContent.trim()}`);
  }
  return [looked, [...found].map((each) => each.join(" "))];
}

// Controls without a name, and names that two share which do not do the same.
function ambiguous() {
  axe.setup(document);
  const known = new Map();
  const found = new Set();
  document.querySelectorAll("a[href], button, summary, input:not([type=hidden]), select, textarea").forEach((one, index) => {
    if (!one.checkVisibility()) return;
    const group = one.matches("a, summary") ? null : one.closest("fieldset, [role=group]");
    const words = axe.commons.text.accessibleText(one).trim().replace(/\s+/g, " ");
    const name = `${one.tagName} ${group ? group.querySelector("legend")?.textContent.trim() || group.getAttribute("aria-label") : ""}: ${words}`;
    const sent = one.form && [...new FormData(one.form)].filter(([key]) => ["kind", "cancels"].includes(key)).join();
    const does = one.getAttribute("href") || one.getAttribute("popovertarget") || one.dataset.event || one.dataset.set
      || (one.form && !one.dataset.redraws ? `${one.form.action} ${one.name} ${one.matches("button, [type=radio]") ? one.value : ""} ${sent}` : String(index));
    if (!words || (known.has(name) && known.get(name) !== does)) found.add(name);
    known.set(name, does);
  });
  axe.teardown();
  return [...found];
}

// The edges of what can be worked, and the mark of the focus, against what they stand on (WCAG 1.4.11).
function faintEdges() {
  const found = [];
  for (const one of document.querySelectorAll(".with-unit, .field > input, .field > select, .act, .second, .tick-off input")) {
    if (!one.checkVisibility() || one.matches("[type=checkbox]")) continue;
    const style = getComputedStyle(one);
    const { left, top, width, height } = one.getBoundingClientRect();
    if (top < 0 || top + height > innerHeight) continue;
    const ground = beneath(document.elementsFromPoint(left + width / 2, top + height + 3));
    // A button that is filled stands out by its fill.
    const ratios = [style.borderBottomColor, style.backgroundColor].map((colour) => {
      const [light, dark] = [luminance(blend(colourOf(colour), ground)), luminance(ground)].sort((a, b) => b - a);
      return (light + 0.05) / (dark + 0.05);
    });
    if (Math.max(...ratios) < 2.98) found.push(`${nameOf(one)} ${Math.max(...ratios).toFixed(2)}`);
  }
  return found;
}
