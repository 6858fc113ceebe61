// Keeve on this device: what it needs is fetched while there is signal, and run here while there is none.
const QUEUE = "keeve-queue";
// What the server has, and the pack on this device perhaps not yet.
const SENT = "keeve-sent";
// Steps that came late and could not be taken, and what turned out otherwise: shown until somebody has seen them.
const ASIDE = "keeve-aside";
const SKEW = "keeve-skew";
const ANSWER_MS = 15000;
const AGAIN_MS = 10000;
const NEWS_MS = 2000;
const VERSION = "keeve-device-version";
const PREPARED = "keeve-device-prepared";
const PACK_AT = "keeve-pack-at";
// Whose it is, and in which units.
const PACK_OF = "keeve-pack-of";
const PACK_FOR = `${HOLDER} ${document.documentElement.lang}`;
const PACK_OLD_MS = 300000;
const START_MS = 1500;

// What this device would not keep, full or switched off: it lasts as long as the page.
const unkept = {};
function read(name, otherwise) {
  try {
    return name in unkept ? unkept[name] : JSON.parse(localStorage.getItem(name) || JSON.stringify(otherwise));
  } catch {
    return otherwise;
  }
}
function write(name, value) {
  try {
    localStorage.setItem(name, JSON.stringify(value));
    delete unkept[name];
    return true;
  } catch {
    unkept[name] = value;
    return false;
  }
}
const own = (name) => read(name, []).filter((item) => item.holder === HOLDER);
const without = (name, event) => write(name, read(name, []).filter((item) => item.event.id !== event.id));
const isTyping = () => document.activeElement.matches("input,select,textarea");
const isJson = (answer) => (answer.headers.get("Content-Type") || "").includes("json");
// Times are the server's, so that a phone with a wrong clock counts the same minutes.
const serverNow = () => new Date(Date.now() + read(SKEW, 0)).toISOString();

const onDevice = {
  // Whether what is drawn here can be asked for; why not, where it never can.
  isReady: false,
  whyNot: "",
  isFetching: false,
  // Whether the last request went unanswered.
  isOut: false,
  // How many steps the server took from here since it was last asked for news.
  toldHere: 0,
  asked: new Map(),
  count: 0,

  get can() {
    return "serviceWorker" in navigator && typeof WebAssembly === "object";
  },

  get isWanted() {
    const metered = navigator.connection && navigator.connection.saveData;
    return setting("signal") === "on" || (setting("signal") !== "off" && !metered);
  },

  get hasSignal() {
    return !this.isOut && navigator.onLine;
  },

  // The files of the interpreter and the pack, into the browser's keeping; both are fetched once and looked at again later.
  async fetchAll() {
    this.isFetching = true;
    show();
    const { version, files, shown_with } = await (await fetch("/device.json")).json();
    for (const address of [...files.map((name) => `/device/${version}/${name}`), ...shown_with]) {
      const answer = await fetch(address);
      if (!answer.ok) throw new Error(address);
      await answer.arrayBuffer();
    }
    await this.refresh(version);
    write(VERSION, version);
    this.isFetching = false;
    if (navigator.storage && navigator.storage.persist) await navigator.storage.persist();
  },

  // What can be done once for all later starts; a browser that cannot starts as the first time.
  async prepare() {
    const version = read(VERSION, "");
    if (!version || read(PREPARED, "") === version) return;
    const worker = new Worker(`/device/${version}/worker.mjs`, { type: "module" });
    await new Promise((done) => {
      worker.onmessage = done;
      worker.onerror = done;
      worker.postMessage({ number: 0, act: "prepare" });
    });
    worker.terminate();
    write(PREPARED, version);
  },

  // The pack, and the page that others are drawn into.
  async refresh(version) {
    await this.fetchPack(version);
    await fetch("/without-signal");
  },

  async fetchPack(version = read(VERSION, "")) {
    const before = own(SENT).map((item) => item.event.id);
    const answer = await fetch(`/pack.json?version=${version}`, { headers: { Accept: "application/json" } });
    if (!answer.ok || answer.headers.get("Keeve-Holder") !== HOLDER) throw new Error("no pack");
    const pack = await answer.text();
    write(PACK_AT, Date.now());
    write(PACK_OF, PACK_FOR);
    // What the server took before it made the pack is in it.
    write(SENT, read(SENT, []).filter((item) => !before.includes(item.event.id)));
    return pack;
  },

  // The newest pack, or the one that was kept.
  async pack() {
    try {
      return await this.fetchPack();
    } catch {
      const found = await caches.match("/pack.json", { cacheName: `keeve-benches-${HOLDER}` });
      return found && found.text();
    }
  },

  // Once a page; before its files are here it can be asked again.
  async start() {
    const version = read(VERSION, "");
    if (!this.can || !version) return false;
    this.starting = this.starting || this.begin(version);
    return this.starting;
  },

  async begin(version) {
    try {
      this.worker = new Worker(`/device/${version}/worker.mjs`, { type: "module" });
      this.worker.addEventListener("message", ({ data }) => this.answered(data));
      this.worker.addEventListener("error", () => this.failed());
      const pack = await this.pack();
      if (!pack) return false;
      await this.take(pack);
      this.isReady = true;
      // The first step takes its templates out of their wrapping; the next ones come at once.
      if (location.pathname.startsWith("/bench/")) this.part(`${location.pathname}/act`).catch(() => "");
    } catch {
      this.failed();
    }
    return this.isReady;
  },

  failed() {
    this.isReady = false;
    this.whyNot = "This browser can't work without signal.";
    for (const [, { reject }] of this.asked) reject(new Error(this.whyNot));
    this.asked.clear();
  },

  ask(act, ...given) {
    this.count += 1;
    const number = this.count;
    return new Promise((resolve, reject) => {
      this.asked.set(number, { resolve, reject });
      this.worker.postMessage({ number, act, given });
    });
  },

  answered({ number, found, fault }) {
    const { resolve, reject } = this.asked.get(number);
    this.asked.delete(number);
    if (fault) reject(new Error(fault));
    else resolve(found);
  },

  // What is known by the server is taken over; what it knows besides comes back in sentences.
  async takeOver() {
    if (!this.isReady) return [];
    return this.take(await this.fetchPack());
  },

  // A pack and all that was told here; what is tapped while that is read counts too.
  async take(pack) {
    const told = () => JSON.stringify([...own(SENT), ...own(QUEUE)]);
    let [taken, news] = ["", []];
    while (taken !== told()) {
      taken = told();
      news = [...news, ...JSON.parse(await this.ask("take", pack, taken, serverNow()))];
    }
    return news;
  },

  // A step that was told, and what comes next: drawn here, or why it does not count; null where this device cannot say.
  async recorded(load, event) {
    if (!this.isReady) return null;
    try {
      return JSON.parse(await this.ask("record", load, JSON.stringify(event), serverNow()));
    } catch {
      return null;
    }
  },

  // One step told to the server: taken, refused, or still waiting, and why.
  async deliver({ load, to = "events", event, late }, headers = {}) {
    const addresses = { plan: `/plan/${load}/told`, begin: `/bench/${load}/begin`, events: `/bench/${load}/events${late ? "?late=true" : ""}` };
    let answer;
    try {
      answer = await fetch(addresses[to] || `/bench/${load}/${to}`, {
        method: "POST",
        headers: {
          "Content-Type": "application/json",
          "X-Form-Token": document.querySelector("meta[name=form-token]").content,
          ...headers,
        },
        body: JSON.stringify(event),
        signal: AbortSignal.timeout(ANSWER_MS),
      });
    } catch {
      this.isOut = true;
      return { waits: "No connection" };
    }
    if (answer.status >= 500) return { waits: "Keeve can't reach its database" };
    // A page of whatever stands between: too many, too large, sign in to this network.
    const isOurs = answer.ok ? answer.status === 204 || answer.headers.has("Keeve-Holder") : isJson(answer);
    if (!isOurs) return { waits: "Something between here and Keeve is in the way" };
    this.isOut = false;
    const told = answer.ok ? null : await answer.json();
    if (told && ["signed_out", "foreign_form"].includes(told.error.code)) return { isSignedOut: true };
    if (answer.ok) this.toldHere += 1;
    if (answer.ok) write(SENT, [...read(SENT, []), { load, holder: HOLDER, to, event }]);
    without(QUEUE, event);
    if (answer.ok && to === "begin") this.isNow(load, (await answer.json()).load);
    if (answer.ok && to === "plan" && !(await answer.json()).is_alike) {
      this.setAside({ event, words: "A plan made without signal" }, "Keeve's own plan differs from it: look at its cards again.");
    }
    return { answer, told };
  },

  setAside({ load, event, words }, why, isTwice = false) {
    write(ASIDE, [...read(ASIDE, []), { holder: HOLDER, load, event, words, why, isTwice, seen: isTwice ? "Only once" : "OK" }]);
  },

  // Nobody looks at what was tapped long ago: it is set aside to be seen, and holds up nothing.
  // Two told of the same: whether it went in twice is asked, never summed.
  refusedLate(item, { code, message }) {
    const isStep = code === "step_done" && ["charged", "water_added"].includes(item.event.kind);
    this.setAside(item, isStep ? "Another device logged it too." : message, isStep || code === "told_twice");
  },

  // A load begun here, which somebody else had begun: it is theirs, and what was told here belongs to it.
  isNow(load, known) {
    if (known === load) return;
    for (const name of [QUEUE, SENT]) {
      write(name, read(name, []).map((item) => (item.load === load ? { ...item, load: known } : item)));
    }
    if (location.pathname === `/bench/${load}`) location.replace(`/bench/${known}`);
  },

  // What waits is told from any page but a bench, which does so itself.
  async sendWaiting() {
    if (document.querySelector(".bench") || this.isSending) return;
    this.isSending = true;
    let waits = false;
    while (own(QUEUE).length && !waits) {
      const item = own(QUEUE)[0];
      const { answer, told } = await this.deliver({ ...item, late: true }, { Prefer: "return=minimal" });
      waits = !answer;
      if (told) this.refusedLate(item, told.error);
    }
    this.isSending = false;
    if (waits) setTimeout(() => this.sendWaiting(), AGAIN_MS);
    else await this.takeOver().catch(() => []);
  },

  // What others tell of the crew's loads is looked at every two seconds, as long as somebody looks at this page.
  watch(act) {
    let told = null;
    const look = async () => {
      if (document.visibilityState !== "visible" || this.isOut) return;
      try {
        const answer = await fetch("/bench/news");
        if (!answer.ok) return;
        const now = (await answer.json()).told;
        const isNews = told !== null && now !== told + this.toldHere;
        [told, this.toldHere] = [now, 0];
        if (isNews) await act();
      } catch {
        // There is no signal.
      }
    };
    look();
    return setInterval(look, NEWS_MS);
  },

  // What was typed for a plan, planned here, and its first card; or the form again, with what is wrong.
  async plan(form) {
    const plan = crypto.randomUUID();
    const typed = JSON.stringify(Object.fromEntries(new FormData(form)));
    const found = JSON.parse(await this.ask("plan", plan, typed, serverNow()));
    if (found.html) return this.put(new DOMParser().parseFromString(found.html, "text/html"));
    // A stranger's is not kept: its card carries it.
    if (found.address) return this.go(found.address);
    const event = { id: crypto.randomUUID(), ...found };
    write(QUEUE, [...read(QUEUE, []), { load: plan, holder: HOLDER, to: "plan", event, words: "Plan a job" }]);
    return this.go(`/plan/${plan}/load/1`);
  },

  // The answer to a form that is typed on; nothing where this device cannot say.
  async previewed(sent) {
    this.isOut = true;
    if (!(await this.start())) return null;
    return JSON.parse(await this.ask("preview", JSON.stringify(Object.fromEntries(sent)), serverNow()));
  },

  async part(path) {
    return this.isReady ? this.ask("part", path, serverNow()) : "";
  },

  // A page in place of this one, where this device can draw it; whether it could.
  async go(address, { isNew = true } = {}) {
    const { pathname, searchParams } = new URL(address, location.href);
    const html = await this.ask("page", pathname, JSON.stringify(Object.fromEntries(searchParams)), serverNow());
    if (!html) return false;
    const page = new DOMParser().parseFromString(html, "text/html");
    await this.withFiles(page.head);
    if (isNew) history.pushState(null, "", address);
    this.put(page);
    return true;
  },

  put(page) {
    // A style sheet of the page before is not for this one.
    for (const link of document.querySelectorAll("link[rel=stylesheet]")) {
      link.disabled = !page.querySelector(`link[href="${link.getAttribute("href")}"]`);
    }
    document.title = page.title;
    document.body.className = page.body.className;
    const main = document.querySelector("main");
    main.removeAttribute("data-kept");
    for (const part of ["main", "header>nav"]) document.querySelector(part).innerHTML = page.querySelector(part).innerHTML;
    const heading = main.querySelector("h1");
    heading.tabIndex = -1;
    heading.focus({ preventScroll: true });
    scrollTo({ top: 0 });
    show();
  },

  // The files of a page that are not on this one yet.
  async withFiles(head) {
    const files = head.querySelectorAll("link[rel=stylesheet], script");
    for (const file of files) {
      const [name, address] = file.tagName === "LINK" ? ["href", file.getAttribute("href")] : ["src", file.getAttribute("src")];
      if (document.querySelector(`${file.tagName}[${name}="${address}"]`)) continue;
      const made = document.createElement(file.tagName);
      if (file.tagName === "LINK") made.rel = "stylesheet";
      made[name] = address;
      await new Promise((resolve) => {
        made.onload = resolve;
        made.onerror = resolve;
        document.head.append(made);
      });
    }
  },

  // A load of a plan, begun here: it has its id from now on, and is told to the server when there is signal.
  async beginLoad(plan, number) {
    const [load, at] = [crypto.randomUUID(), serverNow()];
    const found = await this.ask("begin", plan, number, load, at);
    if (!found) return false;
    if (found === load) {
      const event = { id: crypto.randomUUID(), plan_id: plan, number: Number(number), occurred_at: at };
      write(QUEUE, [...read(QUEUE, []), { load, holder: HOLDER, to: "begin", event, words: `Start load ${number}` }]);
    }
    return this.go(`/bench/${found}`);
  },
};

const BEGINS = /\/plan\/([^/]+)\/load\/(\d+)\/begin$/;

// While there is no signal, what this device can draw is drawn here; what needs signal says so.
addEventListener("click", async (event) => {
  const link = event.target.closest("a[href]");
  if (!link || event.defaultPrevented || !onDevice.isReady || onDevice.hasSignal) return;
  if (link.origin !== location.origin || link.hash || link.hasAttribute("download")) return;
  event.preventDefault();
  if (!(await onDevice.go(link.href))) needsSignal(link);
});
addEventListener("submit", async (event) => {
  const begins = BEGINS.exec(event.target.action);
  const isPlan = event.target.id === "plan-form";
  // Signing out, say, is the browser's to try.
  if (onDevice.hasSignal || event.defaultPrevented || !event.target.closest("main")) return;
  event.preventDefault();
  if (!(begins || isPlan) || !(await onDevice.start())) return needsSignal(event.target);
  if (isPlan) await onDevice.plan(event.target);
  else await onDevice.beginLoad(begins[1], begins[2]);
});
addEventListener("online", () => onDevice.sendWaiting());
addEventListener("popstate", () => {
  if (onDevice.isReady) onDevice.go(location.href, { isNew: false });
});

function needsSignal(element) {
  document.querySelector(".needs-signal")?.remove();
  const said = Object.assign(document.createElement("p"), { className: "notice needs-signal", textContent: "That needs signal." });
  said.setAttribute("role", "status");
  element.closest("main, header, footer").append(said);
}

// Whether this device is ready, since when, and the switch.
function show(words) {
  const place = document.querySelector("[data-signal]");
  if (!place) return;
  const since = read(PACK_OF, "") === PACK_FOR ? read(PACK_AT, 0) : 0;
  const clock = new Intl.DateTimeFormat(document.documentElement.lang, { timeStyle: "short" });
  const isOff = !onDevice.isWanted;
  const states = [
    [words, words],
    [onDevice.whyNot, onDevice.whyNot],
    [isOff, "Not kept ready without signal."],
    [read(VERSION, "") && since, `Ready without signal, as of ${clock.format(since)}.`],
    [onDevice.isFetching, "Getting ready to work without signal…"],
    [true, "Not ready without signal yet. Open a mix card first."],
  ];
  place.querySelector("[data-signal-words]").textContent = states.find(([holds]) => holds)[1];
  place.querySelector("button").textContent = isOff ? "Keep ready: 10 MB" : "Switch off";
  place.hidden = !onDevice.can || (place.dataset.signal === "once-ready" && !since);
}
addEventListener("click", (event) => {
  if (event.target.closest("[data-signal-switch]") === null) return;
  const turned = onDevice.isWanted ? "off" : "on";
  try {
    localStorage.setItem("keeve-signal", turned);
  } catch {
    return show("This device keeps nothing: it can't work without signal.");
  }
  show();
  if (turned === "on") atRest();
});

// Only after a first bench or card, when nothing else is to be fetched; later on each page, where what is kept is old.
async function atRest() {
  if (!onDevice.can || !onDevice.isWanted) return show();
  const isBench = location.pathname.startsWith("/bench/");
  const isCard = /^\/plan\/(quick$|.+\/load\/)/.test(location.pathname);
  const isFirst = !read(VERSION, "");
  if (isFirst && !isBench && !isCard && setting("signal") !== "on") return show();
  try {
    const { serviceWorker } = navigator;
    await serviceWorker.register("/service-worker.js");
    tellHolder((await serviceWorker.ready).active);
    // Only what goes through it is kept.
    if (!serviceWorker.controller) await new Promise((done) => serviceWorker.addEventListener("controllerchange", done, { once: true }));
    const { version } = isFirst ? {} : await (await fetch("/device.json")).json();
    if (isFirst || version !== read(VERSION, "")) await onDevice.fetchAll();
    else if (read(PACK_OF, "") !== PACK_FOR || Date.now() - read(PACK_AT, 0) > PACK_OLD_MS) await onDevice.refresh();
  } catch {
    // There is no signal, or no room: what was kept before serves.
    onDevice.isFetching = false;
  }
  if (isBench) await onDevice.start();
  show();
  // After this start, since it takes longer than one, and where one stays a while.
  if (isBench || isCard) await onDevice.prepare();
}

addEventListener("load", () => {
  show();
  const shell = document.querySelector("[data-shell]");
  onDevice.sendWaiting();
  if (document.querySelector("[data-live]")) onDevice.watch(drawAnew);
  if (shell) open(shell);
  else setTimeout(() => atRest(), START_MS);
});

// A page of what goes on now, as it is by now; not under somebody's hands.
async function drawAnew() {
  if (isTyping()) return;
  const answer = await fetch(location.href);
  if (!answer.ok) return;
  const page = new DOMParser().parseFromString(await answer.text(), "text/html");
  redraw(document.querySelector("main"), page.querySelector("main").innerHTML);
  show();
}

// The page that others are drawn into: of the address that was asked for.
async function open(shell) {
  const asked = new URLSearchParams(location.search);
  onDevice.isOut = true;
  if (!(await onDevice.start())) {
    shell.textContent = "This page needs signal. Try again when you have it.";
    return;
  }
  const begins = asked.get("begin");
  const isDrawn = begins
    ? await onDevice.beginLoad(...begins.split("/"))
    : await onDevice.go(location.href, { isNew: false });
  if (!isDrawn) shell.textContent = "This page needs signal. Try again when you have it.";
}
