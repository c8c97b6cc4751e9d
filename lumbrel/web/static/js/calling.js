// How this screen calls: in spoken words where the browser has a voice, awake and full on a shelf.

import { isAwake, stayAwake } from "./awake.js";
import { component, memory, told } from "./tools.js";

const KEY = "speak";
const AGAIN_MS = 9000;
const voice = window.speechSynthesis;
let again = 0;

// A voice of the page's own region where the browser has one, else of its language, else whichever it takes.
function voiceOf(language) {
  const known = voice.getVoices();
  const fits = (one, tag) => one.lang.replace("_", "-").startsWith(tag);
  const [short] = language.split("-");
  return known.find((one) => fits(one, language)) ?? known.find((one) => fits(one, short)) ?? null;
}

/** Say it now and again until it is hushed; nothing where speaking was not asked for. */
export function speak(words) {
  hushSpeech();
  if (!voice || memory.get(KEY) !== "on") return;
  const say = () => {
    const said = new SpeechSynthesisUtterance(words);
    said.lang = document.documentElement.lang;
    said.voice = voiceOf(said.lang);
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
    return this.speaks ? told("spoken_on") : told("speak");
  },
  get shelfWord() {
    return this.full ? told("end_display") : told("display");
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
    speak(told("spoken_here"));
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
      this.said = told("no_full_screen");
    }
    await stayAwake(true);
    const awake = isAwake() ? told("awake") : told("may_sleep");
    this.said = `${this.said} ${awake}`.trim();
  },
}));
