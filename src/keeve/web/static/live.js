// A form that is answered while it is typed. The server does all arithmetic and draws the answer.
const PAUSE_MS = 150;
const RETRY_MS = 3000;

// A choice that is no longer the one the page came with.
function wasChosen(control) {
  const options = control.type === "select-one" ? [...control.options] : [];
  return options.some((one) => one.defaultSelected) && !options[control.selectedIndex].defaultSelected;
}

document.addEventListener("alpine:init", () => {
  Alpine.data("liveForm", () => ({
    notice: "",
    timer: 0,
    // The state of the form that the last request was sent for: whatever answers an earlier one is dropped.
    state: 0,
    // What the next request asks to draw again; null for the answer alone.
    redraws: null,

    init() {
      // What was typed before the page listened counts too.
      const controls = [...this.$root.elements];
      if (controls.some((one) => one.type === "text" && one.value !== one.defaultValue)) this.later(0);
      controls.filter(wasChosen).forEach((one) => {
        this.changed(one);
        this.later(0);
      });
      this.$el.addEventListener("input", () => this.later(PAUSE_MS));
      this.$el.addEventListener("change", (event) => this.changed(event.target));
      this.$el.addEventListener("click", (event) => this.tapped(event.target));
      this.$el.addEventListener("submit", (event) => this.submitted(event));
    },

    // Another mix or one more row asks for other fields; those that stay keep what was typed.
    changed(control) {
      const mesh = control.closest("[data-mesh]");
      if (mesh) this.readMesh(mesh, "no");
      if (control.dataset.redraws !== "") return;
      this.redraws = {};
      this.later(0);
    },

    // A mesh file is read as soon as it is chosen, turned or cut otherwise; the form keeps what it came to.
    async readMesh(part, close) {
      const file = part.querySelector("[data-mesh-file]").files[0];
      const words = part.querySelector("[data-mesh-words]");
      const mend = part.querySelector("[data-mesh-close]");
      if (!file) return;
      const asked = new URLSearchParams({ name: file.name, close });
      for (const name of ["unit", "up", "cut"]) asked.set(name, part.querySelector(`[data-mesh-${name}]`).value);
      words.textContent = `Reading ${file.name} …`;
      mend.hidden = true;
      try {
        const answer = await fetch(`/plan/mesh?${asked}`, {
          method: "POST",
          headers: { Accept: "application/json", "X-Form-Token": this.field("form_token").value },
          body: file,
        });
        const given = await answer.json();
        words.textContent = answer.ok ? given.words : given.error.message;
        mend.hidden = answer.ok || !(given.error.meant || {}).close_holes;
        if (!answer.ok) return;
        part.querySelector("input[type=hidden]").value = JSON.stringify(given.mesh);
        for (const [name, text] of Object.entries(given.sides)) {
          const side = this.field(part.dataset.field.replace("model.mesh", `container.${name}`));
          if (side) side.value = text;
        }
        this.later(0);
      } catch {
        words.textContent = "No answer from Keeve: choose the file again.";
      }
    },

    tapped(element) {
      const button = element.closest("button");
      if (!button) return;
      if (button.dataset.meshClose !== undefined) this.readMesh(button.closest("[data-mesh]"), "yes");
      if (button.dataset.set) this.set(JSON.parse(button.dataset.set));
      if (!button.dataset.redraws) return;
      const name = button.parentElement.querySelector("[data-name]");
      this.redraws = { [button.dataset.redraws]: button.value, _name: name ? name.value : "" };
      this.later(0);
    },

    // Only what is on the screen is sent: while other fields are on their way, nothing is.
    submitted(event) {
      if (this.$el.hasAttribute("action") && this.redraws === null) return;
      event.preventDefault();
      if (this.redraws !== null) this.notice = "One moment: the fields for this choice are on their way.";
    },

    // What was probably meant, put in place of what was typed.
    set(texts) {
      for (const [name, text] of Object.entries(texts)) {
        this.field(name).value = text;
      }
      this.later(0);
    },

    field(name) {
      return this.$root.querySelector(`[name="${CSS.escape(name)}"]`);
    },

    mend(offer) {
      const button = document.createElement("button");
      button.type = "button";
      button.className = "second mend";
      button.dataset.set = JSON.stringify(offer.texts);
      button.textContent = offer.words;
      return button;
    },

    // The form has changed: an answer that is still on its way is for another form.
    later(pause) {
      this.state += 1;
      clearTimeout(this.timer);
      this.timer = setTimeout(() => this.preview(), pause);
    },

    async preview() {
      const { state, redraws } = this;
      const sent = new URLSearchParams(new FormData(this.$root));
      if (redraws) {
        sent.set("_redraw", "yes");
        // What was typed since the fields were drawn stays, whatever was chosen.
        const typed = [...this.$root.querySelectorAll("input[name]")].filter((one) => one.value !== one.defaultValue);
        sent.set("_typed", typed.map((one) => one.name).join(" "));
      }
      for (const [name, value] of Object.entries(redraws || {})) sent.set(name, value);
      try {
        const answer = await fetch(this.$root.dataset.preview, {
          method: "POST",
          headers: { Accept: "application/json" },
          body: sent,
        });
        const given = await answer.json();
        if (state !== this.state) return;
        if (answer.ok) this.take(given, redraws !== null);
        else this.notice = given.error.message;
      } catch {
        if (state !== this.state) return;
        this.notice = "No answer from Keeve. What you typed is kept; asking again.";
        this.timer = setTimeout(() => this.preview(), RETRY_MS);
      }
    },

    // The hands stay where they were, and what was opened stays open.
    redraw(html) {
      const focused = document.activeElement.id;
      const words = (details) => details.querySelector("summary").textContent.split(":")[0];
      const open = [...this.$refs.asked.querySelectorAll("details[open]")].map(words);
      this.$refs.asked.innerHTML = html;
      for (const details of this.$refs.asked.querySelectorAll("details")) {
        if (open.includes(words(details))) details.open = true;
      }
      const again = focused && document.getElementById(focused);
      if (again) again.focus();
    },

    take(given, redrawn) {
      if (redrawn) {
        this.redraw(given.asked);
        this.redraws = null;
      }
      const wrong = Object.keys(given.errors).length > 0;
      for (const place of this.$root.querySelectorAll("[data-error]")) {
        const message = given.errors[place.dataset.error] || "";
        place.textContent = message;
        const input = this.field(place.dataset.error);
        const old = place.parentElement.querySelector(".mend");
        if (old) old.remove();
        const offer = (given.offers || {})[place.dataset.error];
        if (offer) place.after(this.mend(offer));
        if (input) input.setAttribute("aria-invalid", message ? "true" : "false");
      }
      // While a figure is wrong the last good answer stays, dimmed, so that nothing jumps under the fingers.
      this.$refs.result.classList.toggle("stale", wrong && !redrawn);
      this.notice = wrong ? given.errors[""] || "Waiting for the marked figure." : "";
      if (!wrong || redrawn) this.$refs.result.innerHTML = given.html;
    },
  }));
});
