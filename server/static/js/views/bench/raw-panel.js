// @ts-check
/** The raw part: what a recording is before anyone touched it, and the first moves it suggests. */
import { catalogue } from '../../engine/ask.js';
import { drawTrack } from '../../draw/wave.js';
import { shortName } from '../../draw/short-name.js';
import { html, level, svg } from '../../draw/svg.js';
import { thirdOctaves } from '../../draw/third-octaves.js';
import { longWork } from '../../session/work.js';
import { note } from '../notes.js';
import { doc } from '../session-frame.js';

/** Room around the spectrum. */
const EDGE = { left: 34, right: 8, top: 20, bottom: 16 };
/** dB that the picture shows under the strongest third of an octave. */
const DEEP_DB = 60;
/** Width of a letter of a section's name. */
const LETTER = 5.4;

/** @typedef {{ says: string, does: string, unit: import('../../types.js').Unit }} Move */
/** @typedef {{ made: boolean, edit: import('../../types.js').Edit, move: Move }} Told */
/** @typedef {{ kind: string, range_dbfs: ([number, number] | null)[], departures: Told[] }} Usual */
/** @typedef {{ raw: import('../../types.js').Raw, moves: Told[], nothing: string, usual: Usual | null }} Found */

export class RawPanel {
  /** @param {(edit: import('../../types.js').Edit) => void} make makes a move on the rack, and looks at the part anew */
  constructor(make) {
    this.make = make;
    /** @type {Found | null} */
    this.found = null;
    this.asked = 0;
    this.element = html('div', { className: 'raw' }, this.head('Being looked at…'));
  }

  /** Looks at the recording; what is made already is looked up anew. */
  async look() {
    this.asked += 1;
    const mine = this.asked;
    try {
      const found = await longWork(`/api/sessions/${doc.id}/strips/${doc.strip}/raw`, {}, () => {});
      if (mine !== this.asked || !found) return;
      this.found = found;
      this.draw();
    } catch (error) {
      note(error instanceof Error ? error.message : String(error));
    }
  }

  /** @param {string} words */
  head(words) {
    return html('header', { className: 'unit-head' }, html('h2', {}, 'Raw part'), html('p', { className: 'quiet' }, words));
  }

  draw() {
    if (!this.found) return;
    const { raw, moves, usual } = this.found;
    if (raw.point.lufs === null) {
      this.element.replaceChildren(this.head('No signal on this track.'));
      return;
    }
    this.element.replaceChildren(
      this.head(
        `${level(raw.point.lufs)} LUFS · peak ${level(raw.point.peak_db)} dBFS · crest ` +
          `${level(raw.point.crest_db)} dB · ${playsFor(raw.plays)}`,
      ),
      wave(raw),
      spectrum(raw, usual),
      html('div', { className: 'raw-words' }, facts(raw), html('div', {}, this.moves(moves), ...this.againstUsual(usual))),
    );
  }

  /** @param {Told[]} moves */
  moves(moves) {
    const none = html('p', { className: 'quiet' }, `${this.found?.nothing} Listen to it in the mix before you add anything.`);
    return html('section', { className: 'raw-moves' }, html('h3', {}, 'First moves'), moves.length ? this.list(moves, 'do it') : none);
  }

  /** Where it lies outside what its kind has: no fault as such. @param {Usual | null} usual */
  againstUsual(usual) {
    if (!usual) return [];
    const heading = html(
      'h3',
      { title: `The grey range in the picture: what ${usual.kind} usually have, at this part's level` },
      `Against the usual of ${usual.kind}`,
    );
    const within = html('p', { className: 'quiet' }, 'Within it everywhere.');
    const list = usual.departures.length ? this.list(usual.departures, 'try it') : within;
    return [html('section', { className: 'raw-usual' }, heading, list)];
  }

  /** @param {Told[]} moves @param {string} word */
  list(moves, word) {
    const list = html(
      'ol',
      {},
      ...moves.map(({ move, made, edit }) => {
        const act = html(
          'button',
          { type: 'button', className: 'plain-button', disabled: made, 'aria-label': `${move.does}: ${word}` },
          made ? 'done' : word,
        );
        act.addEventListener('click', () => {
          // Where the next one goes is known when this one is kept or refused, and all is looked at anew.
          for (const button of this.element.querySelectorAll('.raw-words button'))
            /** @type {HTMLButtonElement} */ (button).disabled = true;
          this.make(edit);
        });
        return html('li', {}, html('span', {}, `${move.says} `, html('b', {}, move.does[0].toUpperCase() + move.does.slice(1))), act);
      }),
    );
    return list;
  }
}

/** @param {[number, number][]} plays */
function playsFor(plays) {
  const seconds = plays.reduce((sum, [from, to]) => sum + to - from, 0) / doc.session.rate;
  const all = doc.session.sections.filter((s) => plays.some(([from, to]) => from < s.end && to > s.start)).map((s) => s.name);
  const where = all.length === doc.session.sections.length || all.length === 0 ? '' : `: ${all.join(', ')}`;
  return `plays ${seconds.toFixed(0)} s${where}`;
}

/** The whole waveform over the sections. @param {import('../../types.js').Raw} raw */
function wave(raw) {
  const canvas = html('canvas', { role: 'img', 'aria-label': 'Waveform of the raw part with the sections of the song' });
  const names = html('div', { className: 'raw-sections', 'aria-hidden': 'true' });
  const box = html('div', { className: 'raw-wave' }, canvas, names);
  const frames = raw.point.overview.length * catalogue.frames.overview;
  const draw = () => {
    const width = box.clientWidth;
    if (!width) return;
    drawTrack(
      canvas,
      raw.point.overview,
      doc.session.sections.map((s) => s.start / frames),
    );
    names.replaceChildren(
      ...doc.session.sections.map((s) => {
        const room = ((s.end - s.start) / frames) * width;
        return html(
          'span',
          { title: s.name, style: `left: ${(100 * s.start) / frames}%; width: ${room}px` },
          shortName(s.name, (words) => words.length * LETTER + 6 <= room),
        );
      }),
    );
  };
  new ResizeObserver(draw).observe(box);
  return box;
}

/**
 * Third octaves, what is usual, where it begins, what rings; drawn anew when its room changes.
 * @param {import('../../types.js').Raw} raw
 * @param {Usual | null} usual
 */
function spectrum(raw, usual) {
  const box = html('div', { className: 'raw-spectrum' });
  new ResizeObserver(() => {
    if (box.clientWidth) box.replaceChildren(spectrumOf(raw, usual, box.clientWidth, box.clientHeight));
  }).observe(box);
  return box;
}

/** @param {import('../../types.js').Raw} raw @param {Usual | null} usual @param {number} wide @param {number} tall */
function spectrumOf(raw, usual, wide, tall) {
  const levels = raw.point.third_octave;
  const top = Math.ceil(Math.max(...levels, ...(usual?.range_dbfs ?? []).map((range) => range?.[1] ?? -Infinity)) / 10) * 10;
  const { x, bands, names } = thirdOctaves(EDGE.left, wide - EDGE.right);
  const y = (/** @type {number} */ db) => EDGE.top + ((top - Math.max(db, top - DEEP_DB)) / DEEP_DB) * (tall - EDGE.top - EDGE.bottom);
  const drawing = svg('svg', {
    viewBox: `0 0 ${wide} ${tall}`,
    role: 'img',
    'aria-label': 'Spectrum of the raw part by third octaves, in dBFS',
  });
  for (let db = top; db >= top - DEEP_DB; db -= 20) {
    drawing.append(
      svg('line', { x1: EDGE.left, x2: wide - EDGE.right, y1: y(db), y2: y(db), class: 'ruled' }),
      svg('text', { x: EDGE.left - 4, y: y(db) + 3, 'text-anchor': 'end' }, String(db).replace('-', '−')),
    );
  }
  bands.forEach(([from, to], i) => {
    drawing.append(
      svg('rect', { x: from + 0.5, y: y(levels[i]), width: to - from - 1, height: tall - EDGE.bottom - y(levels[i]), class: 'third' }),
    );
  });
  usual?.range_dbfs.forEach((range, i) => {
    if (range)
      drawing.append(
        svg('rect', {
          x: bands[i][0],
          y: y(range[1]),
          width: bands[i][1] - bands[i][0],
          height: y(range[0]) - y(range[1]),
          class: 'usual',
        }),
      );
  });
  drawing.append(...names(tall - 4));
  if (raw.floor) drawing.append(...mark(x(raw.floor.begins_hz), wide, tall, 'lowest', `lowest note ${raw.floor.note}`));
  for (const ring of raw.rings.slice(0, 3)) drawing.append(...mark(x(ring.hz), wide, tall, 'rings', `${ring.is} ${ring.note}`));
  return drawing;
}

/** @param {number} x @param {number} wide @param {number} tall @param {string} kind @param {string} words */
function mark(x, wide, tall, kind, words) {
  const right = x > wide - 90;
  return [
    svg('line', { x1: x, x2: x, y1: 4, y2: tall - EDGE.bottom, class: kind }),
    svg('text', { x: x + (right ? -4 : 4), y: 12, 'text-anchor': right ? 'end' : 'start', class: kind }, words),
  ];
}

/** What is known of it, in words, each with how sure. @param {import('../../types.js').Raw} raw */
function facts(raw) {
  const like = raw.sounds_like.map((g) => `${g.label} (${(100 * g.sure).toFixed(0)} %)`);
  const rows = [
    ['sounds like', like.length ? like.join(', ') : 'nothing this program knows'],
    [
      'begins',
      raw.floor
        ? `${raw.floor.note}, ${raw.floor.begins_hz.toFixed(0)} Hz; ${raw.floor.below_dbfs.toFixed(0)} dBFS rumble below`
        : 'cannot be told',
    ],
    [
      'rings',
      raw.rings.length
        ? raw.rings
            .map((r) => `${r.hz.toFixed(0)} Hz (${r.note}), ${r.prominence_db.toFixed(0)} dB out, for ${r.ring_ms.toFixed(0)} ms`)
            .join('; ')
        : 'nothing found',
    ],
  ];
  return html(
    'section',
    {},
    html('h3', {}, 'What it is'),
    html('dl', { className: 'raw-facts' }, ...rows.flatMap(([name, words]) => [html('dt', {}, name), html('dd', {}, words)])),
  );
}
