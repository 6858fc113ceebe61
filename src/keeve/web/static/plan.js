// The plan form: asks the server for the result while it is typed. All arithmetic is the server's.
const PAUSE_MS = 150;
const RETRY_MS = 3000;

document.addEventListener("alpine:init", () => {
  Alpine.data("planForm", () => ({
    notice: "",
    timer: 0,
    number: 0,
    mixChosen: false,

    init() {
      this.$el.addEventListener("input", () => this.later(PAUSE_MS));
      this.$el.querySelector("[data-mix-choice]").addEventListener("change", () => { this.mixChosen = true; });
      this.$el.querySelector("[data-shape-choice]").addEventListener("change", (event) => this.show(event.target.value));
    },

    show(shape) {
      for (const group of this.$el.querySelectorAll("[data-shape]")) {
        group.hidden = group.dataset.shape !== shape;
        for (const input of group.querySelectorAll("input")) input.disabled = group.hidden;
      }
    },

    later(pause) {
      clearTimeout(this.timer);
      this.timer = setTimeout(() => this.preview(), pause);
    },

    async preview() {
      const number = ++this.number;
      const form = this.$root;
      try {
        const answer = await fetch("/plan/preview", {
          method: "POST",
          headers: { Accept: "application/json" },
          body: new URLSearchParams(new FormData(form)),
        });
        const given = await answer.json();
        if (number !== this.number) return;
        if (answer.ok) this.take(given);
        else this.notice = given.error.message;
      } catch {
        if (number !== this.number) return;
        this.notice = "No answer from Keeve. What you typed is kept; asking again.";
        this.later(RETRY_MS);
      }
    },

    take(given) {
      // Another mix asks for other figures; those it shares keep what was typed.
      const another = this.mixChosen;
      if (another) this.$refs.asked.innerHTML = given.asked;
      this.mixChosen = false;
      const wrong = Object.keys(given.errors).length > 0;
      for (const place of this.$root.querySelectorAll("[data-error]")) {
        const message = given.errors[place.dataset.error] || "";
        place.textContent = message;
        const input = this.$root.querySelector(`[name="${place.dataset.error}"]:not(:disabled)`);
        if (input) input.setAttribute("aria-invalid", message ? "true" : "false");
      }
      // While a figure is wrong the last good answer stays, dimmed, so that nothing jumps under the fingers.
      this.$refs.result.classList.toggle("stale", wrong && !another);
      this.notice = wrong ? given.errors[""] || "The answer waits for the marked figure." : "";
      if (!wrong || another) this.$refs.result.innerHTML = given.html;
    },
  }));
});
