// How this screen calls: in spoken words where the browser has a voice, awake and full on a shelf.

import { isAwake, stayAwake } from "./awake.js";
import { component, memory } from "./tools.js";

const KEY = "speak";
const AGAIN_MS = 9000;
const voice = window.speechSynthesis;
let again = 0;

/** Say it now and again until it is hushed; nothing where speaking was not asked for. */
export function speak(words) {
  hushSpeech();
  if (!voice || memory.get(KEY) !== "on") return;
  const say = () => {
    const said = new SpeechSynthesisUtterance(words);
    said.lang = "en";
    voice.speak(said);
  };
  say();
  again = setInterval(say, AGAIN_MS);
}

export function hushSpeech() {
  clearInterval(again);
  voice?.cancel();
}

component("calling", () => ({
  canSpeak: Boolean(voice),
  speaks: false,
  full: false,
  said: "",
  get speechWord() {
    return this.speaks ? "Spoken: on" : "Speak alarms";
  },
  get shelfWord() {
    return this.full ? "End hands-free display" : "Hands-free display";
  },
  init() {
    this.speaks = memory.get(KEY) === "on";
    document.addEventListener("fullscreenchange", () => {
      this.full = Boolean(document.fullscreenElement);
      if (!this.full) this.said = "";
    });
  },
  turnSpeech() {
    this.speaks = !this.speaks;
    memory.set(KEY, this.speaks ? "on" : "off");
    if (!this.speaks) return;
    speak("Alarms are spoken on this screen.");
    clearInterval(again);
  },
  async shelf() {
    if (document.fullscreenElement) {
      await document.exitFullscreen();
      return;
    }
    try {
      await document.documentElement.requestFullscreen();
    } catch {
      this.said = "This browser has no full screen.";
    }
    await stayAwake(true);
    const awake = isAwake()
      ? "It stays awake."
      : "It may fall asleep: set the machine to stay awake.";
    this.said = `${this.said} ${awake}`.trim();
  },
}));
