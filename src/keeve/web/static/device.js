// The calls of this device and its screen, which stays awake.
const TONES = [660, 880];
const TONE_S = 0.18;

class Device {
  constructor() {
    this.audio = null;
    this.lock = null;
    // A page may only sound and stay awake once it was touched.
    addEventListener("pointerdown", () => this.touched());
    addEventListener("keydown", () => this.touched());
    document.addEventListener("visibilitychange", () => this.touched());
    addEventListener("keeve-chosen", ({ target }) => this.chosen(target));
  }

  // A choice is heard at once.
  chosen({ dataset, labels }) {
    if (["sound", "vibration"].includes(dataset.device)) this.ring();
    if (dataset.device === "voice") this.say([labels[0].textContent]);
  }

  async touched() {
    if (document.visibilityState !== "visible") return;
    if (!this.audio && window.AudioContext) this.audio = new AudioContext();
    if (this.audio && this.audio.state === "suspended") this.audio.resume();
    if (!navigator.wakeLock || (this.lock && !this.lock.released)) return;
    try {
      this.lock = await navigator.wakeLock.request("screen");
    } catch {
      this.lock = null;
    }
  }

  // Letters act where there is a keyboard: a device with a mouse, unless it was said.
  get hasKeys() {
    const chosen = setting("keys");
    return chosen ? chosen === "on" : matchMedia("(hover: hover)").matches;
  }

  get awake() {
    if (!navigator.wakeLock) return "This browser can't keep the screen on. Set a longer screen timeout on your device. Timers keep running.";
    return "The screen stays on while the bench is open.";
  }

  // The words on the screen, read out by the browser's own voice where that was asked for.
  say(words) {
    if (setting("voice") !== "on" || !window.speechSynthesis) return;
    const said = words.filter(Boolean).map((one) => one.trim().replace(/\s+/g, " ")).join(". ");
    // A step that the server draws once more is said once.
    if (!said || (said === this.said && speechSynthesis.speaking)) return;
    this.said = said;
    const utterance = new SpeechSynthesisUtterance(said);
    utterance.lang = document.documentElement.lang;
    speechSynthesis.cancel();
    speechSynthesis.speak(utterance);
  }

  // Two soft tones and a short shake: heard beside a mixer, no alarm.
  ring() {
    if (setting("vibration") !== "off" && navigator.vibrate && navigator.userActivation && navigator.userActivation.hasBeenActive) navigator.vibrate([120, 80, 120]);
    if (setting("sound") === "off" || !this.audio || this.audio.state !== "running") return;
    TONES.forEach((hertz, index) => {
      const starts = this.audio.currentTime + index * TONE_S;
      const [tone, volume] = [this.audio.createOscillator(), this.audio.createGain()];
      tone.frequency.value = hertz;
      volume.gain.setValueAtTime(0.0001, starts);
      volume.gain.exponentialRampToValueAtTime(0.25, starts + 0.03);
      volume.gain.exponentialRampToValueAtTime(0.0001, starts + TONE_S);
      tone.connect(volume).connect(this.audio.destination);
      tone.start(starts);
      tone.stop(starts + TONE_S);
    });
  }
}
