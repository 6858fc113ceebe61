// The bench: each tap becomes an event, kept on this device until the server has it. What comes next is drawn here where
// this device can, and by the server in any case: its answer stands.
const DEVICE = "keeve-device";
const SEQUENCE = "keeve-sequence";
const WATCH = `keeve-stopwatch-${HOLDER}`;
// The load that this device works on: it alone goes on by itself, not every phone that looks on.
const WORKED = `keeve-worked-${HOLDER}`;
const RETRY_MS = 2000;
// After so long without an answer the bench says that it waits; after so long it asks again.
const WAITING_MS = 2500;
const TICK_MS = 250;
const OTHERS_MS = 20000;

const clock = (seconds) => `${Math.floor(seconds / 60)}:${String(Math.floor(seconds % 60)).padStart(2, "0")}`;

function span(minutes) {
  return minutes >= 60 ? `${Math.floor(minutes / 60)} h ${minutes % 60} min` : `${minutes} min`;
}

// On a page that was drawn in place of another Alpine runs already.
const asBench = () => {
  Alpine.data("bench", () => ({
    notice: "",
    // What was likely meant by a refused amount: its words on the tap, and the event that then goes out.
    meantWords: "",
    meant: null,
    skew: 0,
    sending: false,
    // When the stopwatch was started; kept on the device, so that it runs on through a reload.
    started: null,
    ticked: 0,
    aside: [],
    // What others did meanwhile, once there is signal again.
    news: [],
    device: null,
    isDrawn: false,
    // Whether this device would not keep the last step.
    isFull: false,

    init() {
      // Times are the server's, so that a phone with a wrong clock counts the same minutes.
      const isKept = document.querySelector("main[data-kept]") !== null;
      if (!isKept) write(SKEW, Number(this.$el.dataset.now) - Date.now());
      this.skew = read(SKEW, 0);
      this.ticked = this.now();
      this.started = read(WATCH, null);
      this.device = this.device || new Device();
      showChosen();
      this.$el.addEventListener("click", (event) => this.tapped(event));
      this.gone = new AbortController();
      const { signal } = this.gone;
      document.addEventListener("keydown", (event) => this.key(event), { signal });
      this.$el.addEventListener("toggle", (event) => this.load(event.target), true);
      this.$el.addEventListener("close", (event) => this.laidDown(event.target), true);
      this.$el.addEventListener("input", (event) => this.slide(event.target));
      addEventListener("online", () => this.send(), { signal });
      this.timers = [setInterval(() => this.tick(), TICK_MS), setInterval(() => this.drawOthers(), OTHERS_MS), onDevice.watch(() => this.toldElsewhere())];
      this.tick();
      this.nameAct();
      // What is still here was tapped on an earlier page.
      write(QUEUE, read(QUEUE, []).map((item) => ({ ...item, late: true })));
      this.showAside();
      this.send();
      this.keepPage();
      if (isKept) this.untilAnswered();
      this.whenReady(isKept);
    },

    // Another page took the place of this one.
    destroy() {
      this.gone.abort();
      this.timers.forEach(clearInterval);
    },

    // A page as it was last here, or with steps that wait: drawn as it is by now, once this device can.
    async whenReady(isKept) {
      if (!isKept && !own(QUEUE).length) return;
      if (!(await onDevice.start()) || this.isDrawn) return;
      const html = await onDevice.part(`/bench/${this.$root.dataset.load}/act`);
      if (!html || this.isDrawn) return;
      this.draw(html);
      if (isKept) this.notice = "No connection. Steps you tap are saved on this device.";
    },

    // The service worker keeps every bench that is opened; one was opened before there was a worker, or before it knew for whom.
    async keepPage() {
      const workers = navigator.serviceWorker;
      if (!workers) return;
      await workers.register("/service-worker.js");
      const { active } = await workers.ready;
      tellHolder(active);
      active.postMessage({ kind: "keep" });
    },

    // The page is as it was when it was last here. A step that waits brings what comes next with it; else it is loaded again.
    async untilAnswered() {
      if (!own(QUEUE).length) this.notice = "No connection. This is the last saved view. Steps you tap are saved on this device.";
      const answer = await fetch(`/bench/${this.$root.dataset.load}/offers`).catch(() => null);
      if (answer && answer.ok && !own(QUEUE).length && !isTyping()) location.reload();
      else if (!this.isDrawn) setTimeout(() => this.untilAnswered(), RETRY_MS);
    },

    now() {
      return Date.now() + this.skew;
    },

    tapped(event) {
      const button = event.target.closest("button");
      if (!button || button.ariaDisabled === "true") return;
      if (button.dataset.else !== undefined) this.somethingElse();
      else if (button.dataset.step) this.change(button);
      else if (button.dataset.stopwatch) this.stopwatch(button);
      else if (button.dataset.twice) this.twice(button.dataset.twice);
      else if (button.dataset.seen) this.seen(button.dataset.seen);
      else if (button.dataset.meant !== undefined) this.enqueue(this.meant.event, this.meant.to, this.meantWords);
      else if (button.dataset.event) this.record(button);
    },

    key(event) {
      if (event.key === "Enter" && event.target.matches("input[data-field]")) {
        const around = event.target.closest("details, [data-group]") || this.$root;
        const button = around.querySelector("button[data-with]");
        if (button) button.click();
        return;
      }
      if (!this.device.hasKeys) return;
      if (event.target.matches("input:not([type=radio]):not([type=range]), select, textarea") || event.ctrlKey || event.metaKey || event.altKey) return;
      // What is folded away has no key; opened, the control inside comes before the line that opened it.
      const named = this.$root.querySelectorAll(`[data-key="${CSS.escape(event.key.toLowerCase())}"]`);
      const folded = [...named].find((found) => found.matches(".folds summary"));
      let control = [...named].filter((found) => found.checkVisibility()).pop();
      if (!control && folded) {
        this.somethingElse();
        control = folded;
      }
      if (!control || control.ariaDisabled === "true") return;
      event.preventDefault();
      control.click();
      // A fold that a key opens is gone on with by Tab and Enter: its letter never does what it holds.
      const fold = control.matches("summary") && control.closest("details");
      const first = fold && fold.open && (fold.querySelector("input, select") || fold.querySelector("button"));
      if (first) first.focus();
    },

    // On a phone what is not asked for now lies in a sheet of its own, and nothing behind it is reached meanwhile.
    somethingElse() {
      const sheet = this.$root.querySelector("dialog");
      if (sheet.open) return sheet.close();
      sheet.append(sheet.previousElementSibling);
      sheet.showModal();
      sheet.querySelector("summary")?.focus({ preventScroll: true });
    },

    laidDown(sheet) {
      sheet.before(...sheet.children);
      this.$root.querySelector("[data-else]").focus({ preventScroll: true });
    },

    // It did go in twice: it is told as more, a material of a step is counted again.
    twice(id) {
      const { event, words } = own(ASIDE).find((item) => item.event.id === id);
      this.seen(id);
      if (event.kind !== "charged") {
        const { id: first, device_id, device_seq, occurred_at, when, step, part, ...more } = event;
        this.enqueue(more, "events", words);
        return;
      }
      const field = this.$root.querySelector(`[data-field="charged_kg.${CSS.escape(event.material)}"]`);
      if (!field) return;
      for (let fold = field.closest("details"); fold; fold = fold.parentElement.closest("details")) fold.open = true;
      field.focus();
    },

    seen(id) {
      without(ASIDE, { id });
      this.showAside();
    },

    // Of another load it is answered on that one's bench.
    showAside() {
      this.aside = own(ASIDE).map((item) => {
        const isElsewhere = Boolean(item.load) && item.load !== this.$root.dataset.load;
        return { ...item, isElsewhere, isAsked: item.isTwice && !isElsewhere, bench: `/bench/${item.load}` };
      });
    },

    // What is long to read is read when it is opened.
    async load(details) {
      const place = details.open && details.dataset.loads && details.querySelector("[data-loaded]");
      if (!place || place.firstChild) return;
      const html = await this.partOf(details.dataset.loads);
      if (html) place.innerHTML = html;
      else this.notice = "That needs signal. Open it again to load.";
    },

    // Another device told of a load: this one is drawn as it is by now, unless something is typed or on its way.
    async toldElsewhere() {
      this.drawOthers();
      if (own(QUEUE).length || isTyping()) return;
      const html = await this.partOf(`/bench/${this.$root.dataset.load}/act`);
      const isOpen = this.$refs.act.querySelector("details[open]");
      if (html && !isOpen && !own(QUEUE).length) this.draw(html);
      onDevice.takeOver().catch(() => []);
    },

    // A part of the page, by the server or, where it does not answer, by this device; empty where neither can.
    async partOf(path) {
      try {
        const answer = await fetch(path);
        return answer.ok ? answer.text() : "";
      } catch {
        return onDevice.part(path);
      }
    },

    // When it was done, where that is not now: the server reads it as it is told.
    when() {
      const told = this.$root.querySelector("[data-when]");
      if (!told || told.value !== "clock") return told ? told.value : "";
      return this.$root.querySelector("[data-clock]").value;
    },

    slide(input) {
      if (input.dataset.when !== undefined) {
        this.$root.querySelector("[data-clock]").hidden = input.value !== "clock";
      }
      if (input.dataset.slider === undefined) return;
      for (const slide of input.closest("details").querySelectorAll("[data-slide]")) {
        slide.hidden = slide.dataset.slide !== input.value;
        if (!slide.hidden) input.setAttribute("aria-valuetext", slide.dataset.words);
      }
    },

    change(button) {
      const input = button.parentElement.querySelector("[data-typed]");
      const typed = Number(input.value.trim().replace(",", "."));
      // A fraction or a unit is the server's to read: only a plain number goes up and down.
      if (!Number.isFinite(typed)) return;
      const wanted = typed + Number(button.dataset.step);
      input.value = Math.min(Math.max(wanted, Number(input.min)), Number(input.max)).toFixed(1);
      input.dispatchEvent(new Event("input", { bubbles: true }));
    },

    // One tap starts it, the next puts the seconds, or what ran in that time, into its field.
    stopwatch(button) {
      if (!this.started) {
        this.started = this.now();
        write(WATCH, this.started);
        return;
      }
      const shown = this.ran(button);
      this.started = null;
      write(WATCH, null);
      button.querySelector("[data-stopwatch-words]").textContent = button.dataset.words;
      button.closest("details").querySelector(`[data-field="${button.dataset.stopwatch}"]`).value = shown;
    },

    // The seconds since the start; of an open hose what the server says ran in by then.
    ran(button) {
      const seconds = (this.now() - this.started) / 1000;
      if (!button.dataset.readings) return seconds.toFixed(1);
      const readings = JSON.parse(button.dataset.readings);
      return readings[Math.min(Math.round(seconds), readings.length - 1)];
    },

    record(button) {
      const event = JSON.parse(button.dataset.event);
      if (button.dataset.with !== undefined) {
        const fold = button.closest("details");
        const fields = (fold || button.closest("[data-group]") || this.$root).querySelectorAll("[data-field], [data-list]:checked");
        for (const field of fields) {
          // The check list is one list, whatever of it is folded away.
          if (field.dataset.list === undefined && field.closest("details") !== fold) continue;
          this.put(event, field);
        }
      }
      // As what is asked for says it, or the button, without its key.
      const words = button.cloneNode(true);
      for (const key of words.querySelectorAll("kbd")) key.remove();
      const amounts = button.closest(".main-act") ? this.amounts() : [];
      const said = amounts.length ? `${this.$refs.act.querySelector("#act-title").textContent} ${amounts[0]}` : words.textContent;
      this.enqueue(event, button.dataset.to || "events", said.trim().replace(/\s+/g, " "));
    },

    // The amounts of the act in hand, as they stand there; what is typed has its unit beside it.
    amounts() {
      const shown = [...this.$refs.act.querySelectorAll(".doing .acting:not([data-count-to])")];
      const words = shown.map((one) => (one.matches("input") ? `${one.value} ${one.nextElementSibling.textContent}` : one.textContent));
      return words.map((one) => one.trim().replace(/\s+/g, " ")).filter(Boolean);
    },

    // The heading is where a screen reader goes on: it says the act with its amounts.
    nameAct() {
      const title = this.$refs.act.querySelector("#act-title");
      const amounts = this.amounts().join(", ");
      if (amounts) title.ariaLabel = `${title.textContent}${title.textContent.includes(":") ? "" : ":"} ${amounts}`;
    },

    // Figures go as they were typed, with the units they were typed in: the server reads them.
    put(event, field) {
      if (field.dataset.list) event[field.dataset.list] = [...(event[field.dataset.list] || []), field.value];
      else if (field.dataset.typed === undefined) event[field.dataset.field] = field.value;
      else {
        event.units = this.$root.dataset.units;
        event.typed = { ...event.typed, [field.dataset.field]: field.value };
      }
    },

    enqueue(event, to, words) {
      // A second tap on the same is the same tap; another one waits behind it.
      const tapped = JSON.stringify(event);
      if (own(QUEUE).some((item) => item.load === this.$root.dataset.load && item.tapped === tapped)) return;
      write(WORKED, this.$root.dataset.load);
      const sequence = read(SEQUENCE, 0) + 1;
      write(SEQUENCE, sequence);
      if (!read(DEVICE, "")) write(DEVICE, crypto.randomUUID());
      Object.assign(event, {
        id: crypto.randomUUID(),
        device_id: read(DEVICE, ""),
        device_seq: sequence,
        occurred_at: new Date(this.now()).toISOString(),
        schema: 1,
      });
      if (to === "events" && this.when()) event.when = this.when();
      // A step belongs to whoever tapped it, in the crew it was tapped in, and waits for them.
      const step = { load: this.$root.dataset.load, holder: HOLDER, to, event, words, tapped };
      this.isFull = !write(QUEUE, [...read(QUEUE, []), step]);
      if (to === "events") this.drawHere(step);
      this.send();
    },

    // What comes next, before the server says so. What does not count here may count there: only without it, it is refused.
    async drawHere({ load, to, event }) {
      const next = await onDevice.recorded(load, event);
      if (!next || !own(QUEUE).some((item) => item.event.id === event.id)) return;
      if (next.html) return this.draw(next.html);
      if (onDevice.hasSignal) return;
      without(QUEUE, event);
      this.offer(next, event, to);
      this.refused(next.error);
    },

    async send() {
      if (this.sending) return;
      this.sending = true;
      this.$root.setAttribute("aria-busy", "true");
      const hadWaited = own(QUEUE).some((item) => item.late);
      try {
        while (own(QUEUE).length && (await this.sendFirst(own(QUEUE)[0])));
        if (hadWaited && !own(QUEUE).length) this.news = await onDevice.takeOver().catch(() => []);
      } finally {
        this.sending = false;
        this.$root.setAttribute("aria-busy", String(own(QUEUE).length > 0));
      }
    },

    async sendFirst(item) {
      const { load, to = "events", event, late } = item;
      const isHere = load === this.$root.dataset.load;
      this.mended();
      const waiting = setTimeout(() => { this.notice = `Waiting for a connection. ${this.kept()}`; }, WAITING_MS);
      // Of another load it need only be kept.
      const { waits, isSignedOut, answer, told } = await onDevice.deliver(item, isHere ? {} : { Prefer: "return=minimal" });
      clearTimeout(waiting);
      if (waits) return this.keep(waits);
      if (isSignedOut) {
        this.notice = `${this.kept()} Reload and sign in to send them.`;
        return false;
      }
      this.notice = "";
      if (!late) this.offer(told, event, to);
      if (answer.ok) {
        // Of several that wait the last answer says how it stands.
        const more = own(QUEUE).some((one) => one.load === load);
        if (isHere && to !== "begin" && !more) this.draw(await answer.text());
      } else if (late) {
        onDevice.refusedLate(item, told.error);
      } else {
        this.refused(told.error);
      }
      this.showAside();
      return true;
    },

    // A refusal is said beside its field, which has the hands again; above the act where it has none.
    refused({ message, fields }) {
      const field = (fields || []).map((name) => this.$refs.act.querySelector(`[data-field="${CSS.escape(name)}"]`)).find(Boolean);
      if (!field) {
        this.notice = message;
        return;
      }
      for (let fold = field.closest("details"); fold; fold = fold.parentElement.closest("details")) fold.open = true;
      const said = Object.assign(document.createElement("p"), { className: "refusal", textContent: message });
      said.setAttribute("role", "alert");
      field.closest(".amount-row, .field").after(said);
      tie(said, field, "bench-refusal");
      if (this.meant) {
        const meant = Object.assign(document.createElement("button"), { type: "button", className: "second meant", textContent: this.meantWords });
        meant.dataset.meant = "";
        said.append(meant);
      }
      field.focus();
    },

    mended() {
      document.getElementById("bench-refusal")?.remove();
      const field = this.$refs.act.querySelector("[aria-invalid]");
      field?.removeAttribute("aria-invalid");
      field?.removeAttribute("aria-describedby");
    },

    // What was probably meant, as one tap: the server says in which words, and the amount in kept units.
    offer(told, event, to) {
      this.meantWords = (told && told.offer) || "";
      const typed = { ...event.typed };
      for (const name of Object.keys((told && told.error.meant) || {})) delete typed[name];
      this.meant = this.meantWords ? { event: { ...event, ...told.error.meant, typed }, to } : null;
    },

    keep(what) {
      write(QUEUE, read(QUEUE, []).map((item) => ({ ...item, late: true })));
      this.notice = `${what}. ${this.kept()} Retrying.`;
      setTimeout(() => this.send(), RETRY_MS);
      return false;
    },

    kept() {
      const count = own(QUEUE).length;
      if (this.isFull) return "This device is full or keeps nothing: don't close this page.";
      return `${count} step${count > 1 ? "s are" : " is"} saved on this device.`;
    },

    draw(html) {
      this.isDrawn = true;
      // Drawn here already: nothing under the hands moves.
      if (html === this.drawn) return;
      this.drawn = html;
      // The service worker opens the bench with it while Keeve is gone.
      navigator.serviceWorker?.controller?.postMessage({ kind: "drawn", holder: HOLDER, html });
      this.$refs.act.innerHTML = html;
      const here = this.$refs.others.querySelector("[aria-current] > span");
      if (here) here.innerHTML = this.$refs.act.querySelector("[data-own]").innerHTML;
      this.tick();
      this.nameAct();
      const title = this.$refs.act.querySelector("#act-title");
      title.focus({ preventScroll: true });
      scrollTo({ top: 0 });
      this.device.say([title.textContent, ...this.amounts()]);
    },

    // What a bell is for: the words of the step whose time is up, or of the working time.
    rung() {
      const shown = (selector) => [...this.$refs.act.querySelectorAll(selector)].map((place) => place.innerText);
      const words = shown(".doing .also:not([data-goes-on])").filter(Boolean);
      return words.length ? words : shown(".life");
    },

    // What another load needs may have changed since, but not by a tap on this one; nobody waits for it.
    async drawOthers() {
      const html = await this.partOf(`/bench/${this.$root.dataset.load}/others`);
      if (!html) return;
      redraw(this.$refs.others, html);
      this.tick();
    },

    tick() {
      const now = this.now();
      const between = (at) => this.ticked < at && at <= now;
      const rings = (place) => place.dataset.bell.split(" ").some((at) => between(Number(at)));
      const rung = [...this.$root.querySelectorAll("[data-bell]")].filter(rings);
      const isUp = rung.some((place) => this.$refs.act.contains(place));
      // Which of the other loads it is stands above the act: a tone says nothing of that.
      const other = rung.find((place) => this.$refs.others.contains(place));
      if (other) this.notice = other.textContent.trim().replace(/\s+/g, " ");
      if (rung.length) this.device.ring();
      this.ticked = now;
      const each = (name, act) => {
        for (const place of this.$root.querySelectorAll(`[data-${name}]`)) {
          act(place, Number(place.getAttribute(`data-${name}`)));
        }
      };
      each("ready-at", (button, at) => button.setAttribute("aria-disabled", String(now < at)));
      each("count-to", (place, at) => { place.textContent = clock(Math.max(Math.ceil((at - now) / 1000), 0)); });
      each("from", (place, at) => { place.hidden = now < at; });
      each("until", (place, at) => { place.hidden = now >= at; });
      each("amber-at", (place, at) => place.classList.toggle("amber", now >= at));
      each("red-at", (place, at) => place.classList.toggle("red", now >= at));
      // The hand of a set clock, and what is gone behind it.
      each("along", (place, at) => {
        const x = Math.min(Math.max((now - at) / 60000, 0) * Number(place.dataset.perMinute), Number(place.dataset.most));
        if (place.tagName === "rect") place.setAttribute("width", x.toFixed(1));
        else place.setAttribute("transform", `translate(${x.toFixed(1)} 0)`);
      });
      for (const place of this.$root.querySelectorAll("[data-between]")) {
        const [from, until] = place.dataset.between.split(" ").map(Number);
        place.hidden = now < from || now >= until;
      }
      const watch = this.started && this.$root.querySelector("[data-stopwatch]");
      if (watch) {
        const shown = watch.dataset.readings ? this.ran(watch) : clock((now - this.started) / 1000);
        watch.querySelector("[data-stopwatch-words]").textContent = `Stop: ${shown}`;
      }
      const isMine = read(WORKED, "") === this.$root.dataset.load;
      each("goes-on", (place) => { place.hidden = !isMine; });
      each("by-itself-at", (button, at) => {
        if (!isMine || now < at || button.ariaDisabled === "true") return;
        button.removeAttribute("data-by-itself-at");
        button.click();
      });
      each("minutes-to", (place, at) => { place.textContent = span(Math.max(Math.ceil((at - now) / 60000), 0)); });
      if (isUp) {
        const words = this.rung();
        this.$refs.said.textContent = [this.$refs.act.querySelector(".which").textContent, ...words].join(". ");
        this.device.say(words);
      }
      each("reload-at", (place, at) => {
        if (now < at || isTyping()) return;
        place.removeAttribute("data-reload-at");
        location.reload();
      });
    },
  }));
};
if (window.Alpine) asBench();
else document.addEventListener("alpine:init", asBench);
