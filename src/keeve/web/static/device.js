// What belongs to this device and not to the work: light, hand, sound, a screen that stays awake.
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
    addEventListener("change", (event) => this.chosen(event.target));
    for (const radio of document.querySelectorAll("[data-device]")) {
      radio.checked = radio.value === setting(radio.dataset.device);
    }
  }

  chosen(radio) {
    if (!radio.dataset || !radio.dataset.device) return;
    try {
      localStorage.setItem(`keeve-${radio.dataset.device}`, radio.value);
    } catch {
      // It holds for this page.
    }
    document.documentElement.dataset[radio.dataset.device] = radio.value;
    if (radio.dataset.device === "sound") this.ring();
    if (radio.dataset.device === "voice") this.say([radio.closest("label").textContent]);
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
    if (setting("sound") === "off") return;
    if (navigator.vibrate && navigator.userActivation && navigator.userActivation.hasBeenActive) navigator.vibrate([120, 80, 120]);
    if (!this.audio || this.audio.state !== "running") return;
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
