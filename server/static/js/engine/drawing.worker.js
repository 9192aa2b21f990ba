// @ts-check
/** Works out what only a picture waits for, with an engine of its own, so that the page stays at hand meanwhile. */
import { answerBytes, instantiate, lend, takeSound } from './module.js';

const encoder = new TextEncoder();
const decoder = new TextDecoder();
/** @type {import('./module.js').Exports | null} */
let engine = null;

self.onmessage = ({ data }) => {
  if (data.module) engine = instantiate(data.module);
  if (!engine) return;
  const { question, sound, forget } = data;
  if (sound) takeSound(engine, encoder.encode(sound.name), sound.samples, sound.recorded);
  if (forget) lend(engine, encoder.encode(forget), (at, length) => /** @type {any} */ (engine).zr_sound_forget(at, length));
  if (!question) return;
  const asked = engine;
  lend(asked, encoder.encode(JSON.stringify(question)), (at, length) => asked.zr_ask(at, length));
  self.postMessage(JSON.parse(decoder.decode(answerBytes(asked))));
};
