// A form that is answered while it is typed. The server does all arithmetic and draws the answer.
const ASK_AGAIN_MS = 3000;
const SAID_AFTER_MS = 1000;

// A choice that is no longer the one the page came with.
function wasChosen(control) {
  if (control.type === "radio") return control.checked && !control.defaultChecked;
  const options = control.type === "select-one" ? [...control.options] : [];
  return options.some((one) => one.defaultSelected) && !options[control.selectedIndex].defaultSelected;
}

const asForm = () => {
  Alpine.data("liveForm", () => ({
    notice: "",
    // Whether the whole answer is open over the form, where the screen has room for one line of it only.
    open: false,
    timer: 0,
    // The state of the form, counted up with every change; what was asked for, and whether an answer is on its way.
    state: 0,
    asking: false,
    saying: 0,
    // What the next request asks to draw again; null for the answer alone.
    redraws: null,
    // Whether the last choice was made with keys; whether the cards were asked for before its fields were there.
    byKeys: false,
    packed: {},
    waiting: false,

    init() {
      // What was typed before the page listened counts too.
      const controls = [...this.$root.elements];
      if (controls.some((one) => one.type === "text" && one.value !== one.defaultValue)) this.later();
      controls.filter(wasChosen).forEach((one) => {
        this.changed(one);
        this.later();
      });
      this.say({});
      addEventListener("resize", () => this.unpack("result"));
      this.$el.addEventListener("input", (event) => this.typed(event.target));
      this.$el.addEventListener("change", (event) => this.changed(event.target));
      this.$el.addEventListener("click", (event) => {
        this.byKeys = event.detail === 0;
        this.tapped(event.target);
      });
      this.$el.addEventListener("keydown", (event) => this.pressed(event));
      this.$el.addEventListener("submit", (event) => this.submitted(event));
    },

    get shown() {
      return this.open ? "opened" : "";
    },

    get expanded() {
      return String(this.open);
    },

    // One line of the answer leads to what is wrong, else to the whole answer.
    barTapped() {
      const wrong = this.$root.querySelector("[aria-invalid=true]");
      if (!wrong) {
        this.open = !this.open;
        this.unpack("result");
        return;
      }
      this.open = false;
      const fold = wrong.closest("details");
      if (fold) fold.open = true;
      wrong.scrollIntoView({ block: "center" });
      wrong.focus();
    },

    typed(control) {
      if (control.dataset.find === undefined) this.later();
    },

    // Enter goes on to the next figure, as the key of a phone's keyboard says.
    pressed(event) {
      if (event.key !== "Enter" || event.target.tagName !== "INPUT" || event.target.type === "radio") return;
      event.preventDefault();
      const fields = [...this.$root.querySelectorAll("input:not([type=hidden]):not([type=radio]), select")];
      const seen = fields.filter((one) => one.offsetParent !== null);
      const next = seen[seen.indexOf(event.target) + 1];
      if (next) next.focus();
    },

    // Another mix or one more row asks for other fields; those that stay keep what was typed.
    changed(control) {
      const mesh = control.closest("[data-mesh]");
      if (mesh) this.readMesh(mesh, "no");
      if (control.dataset.redraws !== "") return;
      this.redraws = {};
      this.later();
    },

    // A mesh file is read as soon as it is chosen, turned or cut otherwise; the form keeps what it came to.
    async readMesh(part, close) {
      const file = part.querySelector("[data-mesh-file]").files[0];
      const words = part.querySelector("[data-mesh-words]");
      const meant = part.querySelector("[data-mesh-close]");
      if (!file) return;
      const asked = new URLSearchParams({ name: file.name, close });
      for (const name of ["unit", "up", "cut"]) asked.set(name, part.querySelector(`[data-mesh-${name}]`).value);
      words.textContent = `Reading ${file.name} …`;
      meant.hidden = true;
      try {
        const answer = await fetch(`/plan/mesh?${asked}`, {
          method: "POST",
          headers: { Accept: "application/json", "X-Form-Token": this.field("form_token").value },
          body: file,
        });
        const given = await answer.json();
        words.textContent = answer.ok ? given.words : given.error.message;
        meant.hidden = answer.ok || !(given.error.meant || {}).close_holes;
        if (!answer.ok) return;
        part.querySelector("input[type=hidden]").value = JSON.stringify(given.mesh);
        for (const [name, text] of Object.entries(given.sides)) {
          const side = this.field(part.dataset.field.replace("model.mesh", `container.${name}`));
          if (side) side.value = text;
        }
        this.later();
      } catch {
        words.textContent = "No connection. Choose the file again.";
      }
    },

    tapped(element) {
      const button = element.closest("button");
      if (!button) return;
      if (button.hasAttribute("popovertarget")) this.unpack("workings");
      if (button.dataset.meshClose !== undefined) this.readMesh(button.closest("[data-mesh]"), "yes");
      if (button.dataset.set) this.set(JSON.parse(button.dataset.set));
      if (!button.dataset.redraws) return;
      const name = button.parentElement.querySelector("[data-name]");
      this.redraws = { [button.dataset.redraws]: button.value, _name: name ? name.value : "" };
      this.later();
    },

    // Only what is on the screen is sent: while other fields are on their way, nothing is.
    submitted(event) {
      if (this.$el.hasAttribute("action") && this.redraws === null) return;
      event.preventDefault();
      if (this.redraws === null) return;
      this.waiting = true;
      this.notice = "Loading the fields…";
    },

    // What was probably meant, put in place of what was typed.
    set(texts) {
      for (const [name, text] of Object.entries(texts)) {
        this.field(name).value = text;
      }
      this.later();
    },

    field(name) {
      return this.$root.querySelector(`[name="${CSS.escape(name)}"]`);
    },

    meant(offer) {
      const button = document.createElement("button");
      button.type = "button";
      button.className = "second meant";
      button.dataset.set = JSON.stringify(offer.texts);
      button.textContent = offer.words;
      return button;
    },

    // The form has changed. One request is on its way at a time: what changed meanwhile is asked for after it.
    later() {
      this.state += 1;
      clearTimeout(this.timer);
      if (!this.asking) this.preview();
    },

    async preview() {
      clearTimeout(this.timer);
      const { state, redraws } = this;
      const sent = new URLSearchParams(new FormData(this.$root));
      if (redraws) {
        sent.set("_redraw", "yes");
        // What was typed since the fields were drawn stays, whatever was chosen.
        const typed = [...this.$root.querySelectorAll("input[name]")].filter((one) => one.value !== one.defaultValue);
        sent.set("_typed", typed.map((one) => one.name).join(" "));
      }
      for (const [name, value] of Object.entries(redraws || {})) sent.set(name, value);
      this.asking = true;
      try {
        const answer = await fetch(this.$root.dataset.preview, {
          method: "POST",
          headers: { Accept: "application/json" },
          body: sent,
        });
        const given = await answer.json();
        if (!answer.ok) this.notice = given.error.message;
        else if (state === this.state) this.take(given, redraws !== null);
      } catch {
        this.notice = "No connection. What you typed is safe. Retrying…";
        const given = await onDevice.previewed(sent);
        if (given && state === this.state) this.take(given, redraws !== null);
        else if (!given) this.timer = setTimeout(() => this.preview(), ASK_AGAIN_MS);
      }
      this.asking = false;
      if (state !== this.state) this.preview();
    },

    // The hands stay where they were, and what was opened stays open.
    redraw(html) {
      const { id, name, value, type } = document.activeElement;
      const words = (details) => details.querySelector("summary").firstChild.textContent.trim();
      const open = [...this.$refs.asked.querySelectorAll("details[open]:not(.picker)")].map(words);
      this.$refs.asked.innerHTML = html;
      for (const details of this.$refs.asked.querySelectorAll("details:not(.picker)")) {
        if (open.includes(words(details))) details.open = true;
      }
      const again = type === "radio" ? this.picked(name, value) : id && document.getElementById(id);
      if (!again) return;
      again.focus({ preventScroll: true });
      again.scrollIntoView({ block: "nearest" });
    },

    // A tap on a picture closes the choice; keys that walk through it leave it open.
    picked(name, value) {
      const radio = this.$root.querySelector(`[name="${CSS.escape(name)}"][value="${CSS.escape(value)}"]`);
      const picker = radio && radio.closest(".picker");
      if (!picker) return radio;
      picker.open = this.byKeys;
      return this.byKeys ? radio : picker.querySelector("summary");
    },

    take(given, redrawn) {
      if (redrawn) {
        this.redraw(given.asked);
        this.redraws = null;
      }
      const wrong = Object.keys(given.errors).length > 0;
      for (const place of this.$root.querySelectorAll("[data-error]")) {
        const message = given.errors[place.dataset.error] || "";
        const offer = (given.offers || {})[place.dataset.error];
        // Most fields are right, before and after: they are left alone.
        if (!message && !place.textContent && !offer) continue;
        place.textContent = message;
        const input = this.field(place.dataset.error);
        const old = place.parentElement.querySelector(".meant");
        if (old) old.remove();
        if (offer) place.after(this.meant(offer));
        if (input) input.setAttribute("aria-invalid", message ? "true" : "false");
        // What is wrong is never folded away.
        for (let fold = message && place.closest("details"); fold; fold = fold.parentElement.closest("details")) fold.open = true;
      }
      const folds = this.$root.querySelectorAll("[data-fold]");
      (given.folds || []).forEach((words, index) => {
        if (folds[index] && folds[index].textContent !== words) folds[index].textContent = words;
      });
      // While a figure is wrong the last good answer stays, dimmed, so that nothing jumps under the fingers.
      this.$refs.result.classList.toggle("stale", wrong && !redrawn);
      this.say(given.errors);
      if (this.waiting && redrawn) this.notice = "The fields changed. Check them, then make mix cards.";
      this.waiting = this.waiting && !redrawn;
      if (wrong && !redrawn) return;
      if (this.$refs.bar) this.$refs.bar.innerHTML = given.bar;
      this.answered();
      this.packed = { result: given.html, workings: given.workings };
      if (this.$refs.result.offsetParent !== null) this.unpack("result");
    },

    // The answer is said once the hands rest.
    answered() {
      clearTimeout(this.saying);
      if (this.$refs.said) this.saying = setTimeout(() => { this.$refs.said.textContent = this.$refs.bar.textContent; }, SAID_AFTER_MS);
    },

    // What opens at a tap is put on the page at that tap: a phone types on meanwhile.
    unpack(name) {
      const html = this.packed[name];
      if (html === undefined || !this.$refs[name]) return;
      redraw(this.$refs[name], html);
      delete this.packed[name];
    },

    // What keeps the answer waiting: in words, or how many figures are to be mended.
    say(errors) {
      const wrong = this.$root.querySelectorAll("[aria-invalid=true]");
      const labels = [...wrong].flatMap((one) => [...one.labels].map((label) => label.textContent));
      this.notice = errors[""] || (labels.length ? `${labels.length} to fix: ${labels.join(", ")}` : "");
    },
  }));
};
// On a page that was drawn in place of another Alpine runs already.
if (window.Alpine) asForm();
else document.addEventListener("alpine:init", asForm);
