// On every page, before it is drawn: how this device shows it; and the one thing a link or a form cannot do.
// A device may keep nothing, and says so by a fault.
function setting(name) {
  try {
    return localStorage.getItem(`keeve-${name}`) || "";
  } catch {
    return "";
  }
}
for (const name of ["light", "hand", "keys"]) document.documentElement.dataset[name] = setting(name);
// Where this device is asked how it shows and calls.
function showChosen() {
  for (const radio of document.querySelectorAll("[data-device]")) radio.checked = radio.value === setting(radio.dataset.device);
}
document.addEventListener("DOMContentLoaded", showChosen);
document.addEventListener("change", ({ target }) => {
  const name = target.dataset.device;
  if (!name) return;
  try {
    localStorage.setItem(`keeve-${name}`, target.value);
  } catch {
    // It holds for this page.
  }
  document.documentElement.dataset[name] = target.value;
  target.dispatchEvent(new Event("keeve-chosen", { bubbles: true }));
});
// In whose hands this browser is, a person in a crew: the page says whose it is, the cookie who is signed in now. Where they
// differ the page was late, and what is kept for others goes all the same.
const HOLDER = document.documentElement.dataset.holder;
function tellHolder(worker) {
  const isHeld = document.cookie.split("; ").includes(`__Host-keeve-holder=${HOLDER}`);
  worker?.postMessage({ kind: "holder", holder: isHeld ? HOLDER : "" });
}
tellHolder(navigator.serviceWorker?.controller);
// What somebody else told from here is in their pack the next time they are here, and nobody else's to see.
try {
  const sent = JSON.parse(localStorage.getItem("keeve-sent") || "[]");
  if (sent.some((item) => item.holder !== HOLDER)) localStorage.setItem("keeve-sent", JSON.stringify(sent.filter((item) => item.holder === HOLDER)));
} catch {
  // Nothing is kept here.
}
// A refusal and its field.
function tie(said, field, id) {
  said.id ||= id;
  field.setAttribute("aria-invalid", "true");
  field.setAttribute("aria-describedby", said.id);
}
// What is wrong with a field stands beside it and is tied to it, and the first such field has the hands. The page names the
// fields; where it names none and there is one form, it is the form's first.
document.addEventListener("DOMContentLoaded", () => {
  const named = (document.querySelector("main").dataset.refused || "").split(" ").filter(Boolean);
  const places = [...document.querySelectorAll("main .refusal:not([data-error], [id])")].filter((one) => one.textContent.trim());
  const inForms = places.filter((one) => one.closest("form"));
  (inForms.length ? inForms : places).forEach((said, index) => {
    const forms = said.closest("form") ? [said.closest("form")] : [...said.parentElement.querySelectorAll("form")];
    const fields = forms.flatMap((form) => [...form.elements]).filter((one) => one.offsetParent && !one.matches("button"));
    const meant = fields.find((one) => named.some((name) => name.split(".").pop().startsWith(one.name) || one.name.endsWith(`.${name}`)));
    const field = fields.find((one) => one.parentElement.parentElement.contains(said)) || meant || (forms.length === 1 && fields[0]);
    if (!field) return;
    tie(said, field, `refusal-${index}`);
    if (!said.closest(".field")) (field.closest(".field") || field.parentElement).append(said);
  });
  document.querySelector("main [aria-invalid=true]")?.focus();
});
// A part of the page as it is by now: the focus stays on what is the same there.
function redraw(place, html) {
  const same = (one) => one.id || one.getAttribute("href") || one.getAttribute("name") || one.textContent.trim();
  const held = place.contains(document.activeElement) && document.activeElement;
  place.innerHTML = html;
  if (held) [...place.querySelectorAll(held.tagName)].find((one) => same(one) === same(held))?.focus({ preventScroll: true });
}
// A strip one swipes begins at what is on the page.
document.addEventListener("DOMContentLoaded", () => {
  const here = document.querySelector(".loads [aria-current]");
  if (here) here.parentElement.scrollLeft = here.offsetLeft - here.parentElement.clientWidth / 2;
});
// A new crew works where its first device does, until a lead says otherwise.
document.addEventListener("DOMContentLoaded", () => {
  for (const input of document.querySelectorAll("[data-zone]")) input.value ||= Intl.DateTimeFormat().resolvedOptions().timeZone;
});
// What was typed as a password can be looked at: gloves and small keys.
document.addEventListener("DOMContentLoaded", () => {
  for (const input of document.querySelectorAll("input[type=password]")) {
    const show = Object.assign(document.createElement("button"), { type: "button", className: "plain", textContent: "Show", ariaLabel: "Show password", ariaPressed: "false" });
    show.setAttribute("aria-controls", input.id);
    show.addEventListener("click", () => {
      const hidden = input.type === "password";
      input.type = hidden ? "text" : "password";
      show.textContent = hidden ? "Hide" : "Show";
      show.ariaPressed = String(hidden);
    });
    input.after(show);
  }
});
// A day or a time that was chosen is written as the page's language writes it, not as the browser's does.
document.addEventListener("input", ({ target }) => {
  const dated = target.closest(".dated");
  if (!dated) return;
  const styles = target.type === "time" ? { timeStyle: "short" } : { dateStyle: "medium" };
  const words = new Intl.DateTimeFormat(document.documentElement.lang, { ...styles, timeZone: "UTC" });
  dated.dataset.words = target.value ? words.format(target.valueAsDate) : dated.dataset.empty || "";
});
// Of a list of mixes only those stay that have every word typed in one of their names.
document.addEventListener("input", ({ target }) => {
  if (target.dataset.find === undefined) return;
  const words = target.value.toLowerCase().split(/\s+/).filter(Boolean);
  const list = target.closest("[data-find-in]");
  for (const choice of list.querySelectorAll("[data-found-by]")) {
    choice.hidden = !words.every((word) => choice.dataset.foundBy.includes(word));
  }
  for (const shelf of list.querySelectorAll(".mix-shelf")) {
    shelf.hidden = !shelf.querySelector("[data-found-by]:not([hidden])");
  }
  const found = list.querySelectorAll("[data-found-by]:not([hidden])").length;
  list.querySelector(".none-found").hidden = found > 0;
  list.querySelector("[data-found]").textContent = found ? `${found} ${found === 1 ? "mix" : "mixes"} found` : "No mix by that name";
});
// A long paper takes a while: its link or button says so until it is there, and another tap stops it.
const making = new Map();
async function fetchSlowly(event, link, address) {
  event.preventDefault();
  if (making.has(link)) return making.get(link).abort();
  const words = link.textContent;
  const stop = new AbortController();
  making.set(link, stop);
  link.ariaBusy = "true";
  const began = Date.now();
  const say = () => (link.textContent = `Preparing, ${Math.round((Date.now() - began) / 1000)} s. Tap to stop`);
  const ticking = setInterval(say, 1000);
  say();
  try {
    const answer = await fetch(address, { signal: stop.signal });
    // What is wrong with what was typed is said on a page.
    if (answer.status === 422) location.assign(address);
    if (!answer.ok) throw new Error(answer.statusText);
    const named = /filename="([^"]+)"/.exec(answer.headers.get("Content-Disposition"));
    const paper = document.createElement("a");
    paper.href = URL.createObjectURL(await answer.blob());
    paper.download = named ? named[1] : "plan.pdf";
    paper.click();
    link.textContent = words;
  } catch {
    link.textContent = stop.signal.aborted ? words : `${words}: no reply. Tap again`;
  }
  clearInterval(ticking);
  making.delete(link);
  link.ariaBusy = "false";
}
// A link goes where the device sends things; where it sends nothing, onto its clipboard.
async function send(button) {
  const { share: url, title } = button.dataset;
  try {
    if (navigator.share) await navigator.share({ title, url });
    else {
      await navigator.clipboard.writeText(url);
      button.textContent = "Copied";
    }
  } catch {
    // Changed their mind: the link is still on the page.
  }
}
document.addEventListener("click", (event) => {
  if (event.target.closest("[data-print]")) window.print();
  const slow = event.target.closest("a[href*='/paper.pdf']");
  if (slow) fetchSlowly(event, slow, slow.href);
  const share = event.target.closest("[data-share]");
  if (share) send(share);
});
// A long table says how far it is; nothing of it is kept before all of it is in.
async function takeIn(form, button) {
  const words = button.textContent;
  button.disabled = true;
  button.textContent = "Reading rows…";
  try {
    const headers = { Accept: "application/jsonl" };
    const body = new URLSearchParams(new FormData(form));
    const answer = await fetch(form.dataset.progress, { method: "POST", headers, body });
    if (!answer.headers.get("Content-Type").startsWith(headers.Accept)) {
      // A page says what is wrong: it is gone to as a form does.
      form.action = form.dataset.progress;
      return form.submit();
    }
    let waiting = "";
    for await (const part of answer.body.pipeThrough(new TextDecoderStream())) {
      const lines = (waiting + part).split("\n");
      waiting = lines.pop();
      for (const { done, of, to } of lines.map(JSON.parse)) {
        if (to) return location.assign(to);
        button.textContent = `${done} of ${of} in`;
      }
    }
    throw new Error("it ended too early");
  } catch {
    button.textContent = `${words}: no reply, nothing saved. Tap again`;
    button.disabled = false;
  }
}
document.addEventListener("submit", (event) => {
  const taken = event.target.closest("form[data-progress]");
  if (taken && event.submitter?.formAction.endsWith("/take")) {
    event.preventDefault();
    takeIn(taken, event.submitter);
  }
  const slow = event.target.closest("form[action$='.pdf']");
  if (slow) fetchSlowly(event, event.submitter, `${slow.action}?${new URLSearchParams(new FormData(slow))}`);
});
