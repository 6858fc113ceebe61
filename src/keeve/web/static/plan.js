// The plan form: asks the server for the result while it is typed. All arithmetic is the server's.
const PAUSE_MS = 150;
const RETRY_MS = 3000;

document.addEventListener("alpine:init", () => {
  Alpine.data("planForm", () => ({
    notice: "",
    timer: 0,
    asked: 0,

    init() {
      this.$el.addEventListener("input", () => this.later(PAUSE_MS));
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
      const number = ++this.asked;
      const form = this.$root;
      try {
        const answer = await fetch("/plan/preview", {
          method: "POST",
          headers: { Accept: "application/json" },
          body: new URLSearchParams(new FormData(form)),
        });
        const given = await answer.json();
        if (number !== this.asked) return;
        if (answer.ok) this.take(given);
        else this.notice = given.error.message;
      } catch {
        if (number !== this.asked) return;
        this.notice = "No answer from Keeve. What you typed is kept; asking again.";
        this.later(RETRY_MS);
      }
    },

    take(given) {
      const wrong = Object.keys(given.errors).length > 0;
      for (const place of this.$root.querySelectorAll("[data-error]")) {
        const message = given.errors[place.dataset.error] || "";
        place.textContent = message;
        const input = this.$root.querySelector(`[name="${place.dataset.error}"]:not(:disabled)`);
        if (input) input.setAttribute("aria-invalid", message ? "true" : "false");
      }
      // While a figure is wrong the last good answer stays, dimmed, so that nothing jumps under the fingers.
      this.$refs.result.classList.toggle("stale", wrong);
      this.notice = wrong ? given.errors[""] || "The answer waits for the marked figure." : "";
      if (!wrong) this.$refs.result.innerHTML = given.html;
    },
  }));
});
