// The bench: each tap becomes an event, kept on this device until the server has it. The server draws what comes next.
const QUEUE = "keeve-queue";
const DEVICE = "keeve-device";
const SEQUENCE = "keeve-sequence";
const WATCH = "keeve-stopwatch";
const RETRY_MS = 2000;
const TICK_MS = 250;

const read = (name, otherwise) => JSON.parse(localStorage.getItem(name) || JSON.stringify(otherwise));
const write = (name, value) => localStorage.setItem(name, JSON.stringify(value));
const figure = (typed) => Number(typed.replace(",", ".")) || 0;
const clock = (seconds) => `${Math.floor(seconds / 60)}:${String(Math.floor(seconds % 60)).padStart(2, "0")}`;

function span(minutes) {
  return minutes >= 60 ? `${Math.floor(minutes / 60)} h ${minutes % 60} min` : `${minutes} min`;
}

document.addEventListener("alpine:init", () => {
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
    device: null,

    init() {
      // Times are the server's, so that a phone with a wrong clock counts the same minutes.
      this.skew = Number(this.$el.dataset.now) - Date.now();
      this.ticked = this.now();
      this.started = read(WATCH, null);
      this.device = new Device();
      this.$el.addEventListener("click", (event) => this.tapped(event));
      document.addEventListener("keydown", (event) => this.key(event));
      this.$el.addEventListener("toggle", (event) => this.load(event.target), true);
      this.$el.addEventListener("input", (event) => this.slide(event.target));
      addEventListener("online", () => this.send());
      setInterval(() => this.tick(), TICK_MS);
      this.tick();
      this.send();
      this.drawOthers();
    },

    now() {
      return Date.now() + this.skew;
    },

    tapped(event) {
      const button = event.target.closest("button");
      if (!button || button.disabled) return;
      if (button.dataset.step) this.change(button);
      else if (button.dataset.stopwatch) this.stopwatch(button);
      else if (button.dataset.meant !== undefined) this.enqueue(this.meant.event, this.meant.to);
      else if (button.dataset.event) this.record(button);
    },

    key(event) {
      if (event.key === "Enter" && event.target.matches("input[data-field]")) {
        const button = (event.target.closest("details") || this.$root).querySelector("button[data-with]");
        if (button) button.click();
        return;
      }
      if (event.target.matches("input:not([type=radio]):not([type=range]), select, textarea") || event.ctrlKey || event.metaKey || event.altKey) return;
      // What is folded away has no key; opened, the control inside comes before the line that opened it.
      const named = this.$root.querySelectorAll(`[data-key="${CSS.escape(event.key.toLowerCase())}"]`);
      const control = [...named].filter((found) => found.checkVisibility()).pop();
      if (!control || control.disabled) return;
      event.preventDefault();
      control.click();
    },

    // What is long to read is read when it is opened.
    async load(details) {
      const place = details.open && details.querySelector("[data-loaded]");
      if (!place || place.firstChild) return;
      try {
        const answer = await fetch(details.dataset.loads);
        if (answer.ok) place.innerHTML = await answer.text();
      } catch {
        this.notice = "No answer from Keeve: it comes when it is opened again.";
      }
    },

    slide(input) {
      if (input.dataset.slider === undefined) return;
      for (const slide of input.closest("details").querySelectorAll("[data-slide]")) {
        slide.hidden = slide.dataset.slide !== input.value;
      }
    },

    change(button) {
      const input = button.parentElement.querySelector("[data-amount]");
      const wanted = figure(input.value) + Number(button.dataset.step);
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
      const seconds = (this.now() - this.started) / 1000;
      this.started = null;
      write(WATCH, null);
      button.querySelector("[data-stopwatch-words]").textContent = button.dataset.words;
      const input = button.closest("details").querySelector(`[data-field="${button.dataset.stopwatch}"]`);
      const kept = button.dataset.flow ? (seconds * Number(button.dataset.flow)) / 60 : seconds;
      input.value = (kept / Number(input.dataset.amount)).toFixed(1);
    },

    record(button) {
      const event = JSON.parse(button.dataset.event);
      if (button.dataset.with !== undefined) {
        const fold = button.closest("details");
        const fields = (fold || this.$root).querySelectorAll("[data-field], [data-list]:checked");
        for (const field of fields) {
          // The check list is one list, whatever of it is folded away.
          if (field.dataset.list === undefined && field.closest("details") !== fold) continue;
          if (!this.put(event, field)) return;
        }
      }
      this.enqueue(event, button.dataset.to || "events");
    },

    // The page shows the reader's unit; its size in the kept unit comes with the field.
    put(event, field) {
      if (field.dataset.list) {
        event[field.dataset.list] = [...(event[field.dataset.list] || []), field.value];
        return true;
      }
      let value = field.value;
      if (field.dataset.amount !== undefined) {
        if (!value.trim() && field.dataset.optional !== undefined) return true;
        const typed = Number(value.trim().replace(",", ".") || "none");
        const least = field.dataset.fromNothing === undefined && Number(field.dataset.nothing) === 0;
        if (!Number.isFinite(typed) || (least ? typed <= 0 : typed < -99)) {
          this.notice = `${field.dataset.label ? `${field.dataset.label}: type` : "Type"} how much: a number${least ? " more than 0" : ""}.`;
          field.focus();
          return false;
        }
        value = typed * Number(field.dataset.amount) + Number(field.dataset.nothing);
      }
      const [name, inner] = field.dataset.field.split(".");
      if (inner) event[name] = { ...event[name], [inner]: value };
      else event[name] = value;
      return true;
    },

    enqueue(event, to) {
      // One step at a time: until the last one has arrived, a second tap is the same tap.
      if (read(QUEUE, []).some((item) => item.load === this.$root.dataset.load)) return;
      const sequence = read(SEQUENCE, 0) + 1;
      write(SEQUENCE, sequence);
      if (!localStorage.getItem(DEVICE)) write(DEVICE, crypto.randomUUID());
      Object.assign(event, {
        id: crypto.randomUUID(),
        device_id: read(DEVICE, ""),
        device_seq: sequence,
        occurred_at: new Date(this.now()).toISOString(),
        schema: 1,
      });
      write(QUEUE, [...read(QUEUE, []), { load: this.$root.dataset.load, to, event }]);
      this.send();
    },

    async send() {
      if (this.sending) return;
      this.sending = true;
      this.$root.setAttribute("aria-busy", "true");
      try {
        while (read(QUEUE, []).length && (await this.sendFirst(read(QUEUE, [])[0])));
      } finally {
        this.sending = false;
        this.$root.setAttribute("aria-busy", String(read(QUEUE, []).length > 0));
      }
    },

    async sendFirst({ load, to = "events", event }) {
      let answer;
      try {
        answer = await fetch(`/bench/${load}/${to}`, {
          method: "POST",
          headers: {
            "Content-Type": "application/json",
            "X-Form-Token": document.querySelector("meta[name=form-token]").content,
          },
          body: JSON.stringify(event),
        });
      } catch {
        return this.keep("Keeve does not answer");
      }
      if (answer.status >= 500) return this.keep("Keeve's database does not answer");
      const refusal = answer.ok ? null : (await answer.json()).error;
      if (refusal && ["signed_out", "foreign_form"].includes(refusal.code)) {
        this.notice = `${this.kept()} Load the page again and sign in: then it is sent.`;
        return false;
      }
      write(QUEUE, read(QUEUE, []).slice(1));
      if (answer.ok) {
        this.notice = "";
        if (load === this.$root.dataset.load) this.draw(await answer.text());
      } else {
        this.notice = refusal.message;
      }
      this.offer(refusal, event, to);
      return true;
    },

    offer(refusal, event, to) {
      const [field, value] = Object.entries((refusal && refusal.meant) || {})[0] || [];
      const input = field && this.$root.querySelector(`[data-field="${field}"]`);
      this.meant = field && input ? { event: { ...event, [field]: value }, to } : null;
      // Rounded down, so that the tap does not say more than there may be.
      const shown = this.meant && (Math.floor((value / Number(input.dataset.amount)) * 10 + 1e-6) / 10).toFixed(1);
      this.meantWords = this.meant ? `It was ${shown} ${input.parentElement.querySelector(".acting-unit").textContent}` : "";
    },

    keep(what) {
      this.notice = `${what}. ${this.kept()} Trying again.`;
      setTimeout(() => this.send(), RETRY_MS);
      return false;
    },

    kept() {
      const count = read(QUEUE, []).length;
      return `${count} step${count > 1 ? "s are" : " is"} kept on this device.`;
    },

    draw(html) {
      this.$refs.act.innerHTML = html;
      this.tick();
      this.drawOthers();
      this.$refs.act.querySelector("h1").focus({ preventScroll: true });
      scrollTo({ top: 0 });
    },

    // What another load needs may have changed since; nobody waits for it.
    async drawOthers() {
      try {
        const answer = await fetch(`/bench/${this.$root.dataset.load}/others`);
        if (answer.ok) this.$refs.others.innerHTML = await answer.text();
        this.tick();
      } catch {
        // It is drawn with the next step.
      }
    },

    tick() {
      const now = this.now();
      const between = (at) => this.ticked < at && at <= now;
      const bells = [...this.$root.querySelectorAll("[data-bell]")].flatMap((place) => place.dataset.bell.split(" "));
      if (bells.some((at) => between(Number(at)))) this.device.ring();
      this.ticked = now;
      const each = (name, act) => {
        for (const place of this.$root.querySelectorAll(`[data-${name}]`)) {
          act(place, Number(place.getAttribute(`data-${name}`)));
        }
      };
      each("ready-at", (button, at) => { button.disabled = now < at; });
      each("count-to", (place, at) => { place.textContent = clock(Math.max(Math.ceil((at - now) / 1000), 0)); });
      each("from", (place, at) => { place.hidden = now < at; });
      each("until", (place, at) => { place.hidden = now >= at; });
      each("amber-at", (place, at) => place.classList.toggle("amber", now >= at));
      each("red-at", (place, at) => place.classList.toggle("red", now >= at));
      for (const place of this.$root.querySelectorAll("[data-between]")) {
        const [from, until] = place.dataset.between.split(" ").map(Number);
        place.hidden = now < from || now >= until;
      }
      const watch = this.started && this.$root.querySelector("[data-stopwatch]");
      if (watch) {
        const seconds = (now - this.started) / 1000;
        const ran = watch.dataset.flow && watch.closest("details").querySelector("[data-amount]").dataset.amount;
        const shown = ran ? ((seconds * Number(watch.dataset.flow)) / 60 / Number(ran)).toFixed(1) : clock(seconds);
        watch.querySelector("[data-stopwatch-words]").textContent = `Stop: ${shown}`;
      }
      each("minutes-to", (place, at) => { place.textContent = span(Math.max(Math.ceil((at - now) / 60000), 0)); });
      each("reload-at", (place, at) => {
        if (now < at) return;
        place.removeAttribute("data-reload-at");
        location.reload();
      });
    },
  }));
});
