// Sounds and, when it is switched on, a voice for numbers. Each thing is also seen: words, shape and colour.

/** @type {AudioContext | null} */
let context = null;

/** @param {number[]} pitches */
function tones(pitches) {
  try {
    const room = context ??= new AudioContext();
    pitches.forEach((pitch, i) => {
      const tone = room.createOscillator();
      tone.frequency.value = pitch;
      tone.connect(room.destination);
      tone.start(room.currentTime + i * 0.35);
      tone.stop(room.currentTime + i * 0.35 + 0.2);
    });
  } catch { /* no sound here: the words and the colour stand */ }
}

export const timeIsUp = () => tones([880, 880, 880]);
export const stopNow = () => tones([660, 440, 660, 440]);
export const askNow = () => tones([523]);

export class Voice {
  constructor() { this.on = localStorage.getItem("merak.voice") === "on"; }

  toggle() {
    this.on = !this.on;
    localStorage.setItem("merak.voice", this.on ? "on" : "off");
    this.say(this.on ? "voice on" : "");
  }

  /** @param {string | number} words */
  say(words) {
    if (!this.on || !words || !window.speechSynthesis) return;
    speechSynthesis.cancel();
    speechSynthesis.speak(new SpeechSynthesisUtterance(String(words)));
  }
}
