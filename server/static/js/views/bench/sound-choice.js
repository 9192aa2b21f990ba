// @ts-check
/** The control of a parameter that takes a sound: one of the shelf, or a file brought in. */
import { html } from '../../draw/svg.js';
import { request } from '../../session/api.js';
import { host } from '../listen-bar.js';

/** @typedef {{ hash: string, name: string, seconds: number }} Listed */

/** @param {Listed} sound */
const words = ({ name, seconds }) => `${name} · ${seconds < 1 ? `${(seconds * 1000).toFixed(0)} ms` : `${seconds.toFixed(1)} s`}`;

/**
 * @param {import('../../types.js').Param} param
 * @param {string} of name of the unit
 * @param {() => string | null} value
 * @param {(value: string | null) => void} set
 * @returns {{ element: HTMLElement, follow: () => void }}
 */
export function soundChoice(param, of, value, set) {
  /** @type {Listed[]} */
  let shelf = [];
  const list = html('select', { className: 'key-choice', 'aria-label': `${of}: ${param.label}`, title: param.hint });
  const file = html('input', { type: 'file', accept: 'audio/*,.wav,.aif,.aiff,.flac,.ogg,.mp3', hidden: true });
  const open = html(
    'button',
    {
      type: 'button',
      className: 'plain-button',
      title: `A WAV, AIFF, FLAC, Ogg Vorbis or MP3 file of at most ${param.domain.type === 'sound' ? param.domain.max_seconds : 0} s`,
    },
    'bring in a file…',
  );
  const missing = html('span', { className: 'caution', role: 'status' });
  const follow = () => {
    const now = value();
    const known = shelf.some((sound) => sound.hash === now);
    const other =
      now && !known ? [new Option(host.sounds.isMissing(now) ? `missing: ${now.slice(0, 8)}…` : `${now.slice(0, 8)}…`, now)] : [];
    list.replaceChildren(
      new Option(of === 'Impulse response' ? 'none: the sound passes' : 'none', ''),
      ...shelf.map((sound) => new Option(words(sound), sound.hash)),
      ...other,
    );
    list.value = now ?? '';
    missing.textContent = now && host.sounds.isMissing(now) ? 'missing: the sound passes unchanged; bring the file in again' : '';
  };
  const refresh = async () => {
    shelf = await request('/api/sounds', undefined, 'GET');
    follow();
  };
  const trouble = (/** @type {unknown} */ error) => {
    const detail = error instanceof Error ? error.message : String(error);
    list.dispatchEvent(new CustomEvent('trouble', { bubbles: true, detail }));
  };
  list.addEventListener('change', () => set(list.value || null));
  open.addEventListener('click', () => file.click());
  file.addEventListener('change', async () => {
    const [chosen] = file.files ?? [];
    file.value = '';
    if (!chosen) return;
    open.disabled = true;
    try {
      const { hash, said } = await request(`/api/sounds?name=${encodeURIComponent(chosen.name)}`, chosen);
      if (said) trouble(said);
      await refresh();
      if (hash === value()) await host.sounds.again(hash);
      else set(hash);
    } catch (error) {
      trouble(error);
    }
    open.disabled = false;
  });
  follow();
  refresh().catch(trouble);
  const element = html(
    'div',
    { className: 'choice sound-choice', title: param.hint },
    html('span', {}, param.label),
    html('span', { className: 'key-line' }, list, open, file),
    missing,
  );
  return { element, follow };
}
