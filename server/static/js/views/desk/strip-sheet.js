// @ts-check
/** One strip's paths and origin: what it is, what it feeds, sends, polarity, delay, what the import check found. */
import { clock } from '../../session/song-time.js';
import { courseOf } from '../../session/course.js';
import { sendPath } from '../../session/over-time.js';
import { lane } from '../over-time/lane-strip.js';
import { markChanges } from '../over-time/marks.js';
import { scope } from '../scope.js';
import { Rule } from '../../controls/rule.js';
import { lamp, tabs } from '../../controls/tabs.js';
import { ask, catalogue, optionsOf, parameter } from '../../engine/ask.js';
import { redraw } from '../../draw/redraw.js';
import { html, signed } from '../../draw/svg.js';
import { request } from '../../session/api.js';
import { longWork } from '../../session/work.js';
import { askSession, newGesture } from '../../session/document.js';
import { host } from '../listen-bar.js';
import { note } from '../notes.js';
import { doc } from '../session-frame.js';
import { takenAlong } from '../taken.js';
import { giveWay, recipes } from './beside.js';
import { smallSpeakers } from './small-speakers.js';

/** @typedef {import('../../session/document.js').Strip} Strip */
/** @typedef {{ fault: string, sentence: string, mend: string, edits: import('../../types.js').Edit[] }} Finding */
/**
 * @typedef {{
 *   findings: Finding[], plays: [number, number][],
 * }} Check what the import check found, and where it plays, in frames
 */

/** Most stretches listed. */
const MOST_STRETCHES = 8;

/** Hears some strips alone; what the Desk says it is. @type {(strips: number[]) => void} */
let hear = () => {};
/** @param {(strips: number[]) => void} by */
export const hearBy = (by) => {
  hear = by;
};

/** @type {HTMLElement | null} */
let sheet = null;
let shown = 0;

/** An edit of the strip that is shown. @param {{ edit: string, [field: string]: unknown }} edit @param {string} [gesture] */
const make = (edit, gesture) =>
  void doc.edit(/** @type {import('../../types.js').Edit} */ (/** @type {unknown} */ ({ strip: shown, ...edit })), gesture ?? newGesture());

/**
 * Opens the sheet of a strip, or closes it when it is open.
 * @param {number} id
 * @param {Check} check
 */
export function openSheet(id, check) {
  const again = sheet && shown === id;
  closeSheet();
  if (again) return;
  shown = id;
  const opened = html('aside', { className: 'strip-sheet panel', tabIndex: -1 });
  opened.append(...contents(opened, id, check));
  document.body.append(opened);
  sheet = opened;
  // Not on a button: Space goes on playing and stopping.
  opened.focus();
}

/** What stands on the sheet of a strip. @param {HTMLElement} place @param {number} id @param {Check} check */
function contents(place, id, check) {
  const strip = doc.find(id);
  place.setAttribute('aria-label', `Paths of ${strip.name}`);
  const close = html('button', { type: 'button', className: 'plain-button' }, 'close');
  close.addEventListener('click', closeSheet);
  const head = html(
    'header',
    {},
    html('span', { className: 'mark', data: { family: strip.family } }, strip.family),
    html('h2', {}, strip.name),
    close,
  );
  if (strip.role === 'return') void remark(place, id);
  const heard = strip.role === 'return' ? [smallSpeakers(strip)] : [];
  return strip.role === 'main'
    ? [head]
    : [
        head,
        ...heard,
        ...ofAnotherVersion(strip),
        ...what(strip),
        ...found(check.findings),
        ...where(strip, check.plays),
        ...paths(strip),
        ...origin(strip),
        ...actions(strip),
      ];
}

/** What another version has written of a strip and this one cannot use. @param {Strip} strip */
function ofAnotherVersion(strip) {
  const words = askSession({ do: 'kept-of', strip: strip.id });
  return words ? [html('p', { className: 'caution' }, words)] : [];
}

function closeSheet() {
  sheet?.remove();
  sheet = null;
}

/** What the core has to say about a parallel path. @param {HTMLElement} place @param {number} id */
async function remark(place, id) {
  const graph = await request(`/api/sessions/${doc.id}/graph`, undefined, 'GET');
  const words = graph.nodes.find((/** @type {import('../../types.js').GraphBlock} */ n) => n.id === id)?.remark;
  if (!words) return;
  place.querySelector('[data-remark]')?.remove();
  place.append(html('section', { data: { remark: '' } }, html('p', { className: 'caution' }, words)));
}

/** Draws the sheet again after a change of its strip. @param {number} id @param {Check} check */
export function refreshSheet(id, check) {
  if (!sheet || shown !== id) return;
  // The rule in hand shows its own change; another one in its place would end the drag.
  if (sheet.contains(document.activeElement) && document.activeElement?.classList.contains('rule-scale')) return;
  const place = sheet;
  redraw(place, () => contents(place, id, check));
}

/** Closes the sheet of a strip that is no more. */
export function closeIfGone() {
  if (sheet && !doc.session.strips.some((strip) => strip.id === shown)) closeSheet();
}

/** @param {string} title @param {...(Node | string)} parts */
const group = (title, ...parts) => html('section', {}, html('h3', {}, title), ...parts);

/** @param {string} label @param {[string, string][]} options @param {string} value @param {(value: string) => void} onChange */
function select(label, options, value, onChange) {
  const list = html(
    'select',
    { className: 'form-select', 'aria-label': label },
    ...options.map(([id, text]) => new Option(text, id, false, id === value)),
  );
  list.addEventListener('change', () => onChange(list.value));
  return html('label', { className: 'sheet-line' }, html('span', {}, label), list);
}

/** @param {Strip} strip */
function what(strip) {
  const name = html('input', {
    className: 'form-control',
    value: strip.name,
    maxLength: 80,
    'aria-label': 'Name',
    data: { shown: strip.name },
  });
  name.addEventListener('change', () => make({ edit: 'rename', name: name.value }));
  const parts = [html('label', { className: 'sheet-line' }, html('span', {}, 'name'), name)];
  if (strip.role === 'track') {
    const says = (/** @type {string} */ part, /** @type {string} */ family) => make({ edit: 'set-part', part, family, guessed: false });
    parts.push(
      select(
        'is a',
        catalogue.parts.map((p) => [p.id, p.label]),
        strip.part,
        (part) => {
          says(part, catalogue.parts.find((p) => p.id === part)?.family ?? strip.family);
        },
      ),
    );
    parts.push(
      select(
        'family',
        catalogue.families.map((f) => [f.id, f.label]),
        strip.family,
        (family) => says(strip.part, family),
      ),
    );
    if (strip.guessed) {
      const right = html('button', { type: 'button', className: 'plain-button' }, 'that is right');
      right.addEventListener('click', () => says(strip.part, strip.family));
      parts.push(html('p', { className: 'caution' }, 'A guess from its name or its sound. ', right));
    }
  }
  return [group('What it is', ...parts)];
}

/** @param {Finding[]} findings */
function found(findings) {
  if (findings.length === 0) return [];
  return [
    group(
      'Import check',
      ...findings.map((finding) => {
        const mend = html('button', { type: 'button', className: 'plain-button' }, finding.mend);
        mend.addEventListener('click', () => void doc.edit({ edit: 'several', edits: finding.edits }));
        return html('p', { className: 'finding' }, finding.sentence, ' ', mend);
      }),
    ),
  ];
}

/** Where a track plays, to go there. @param {Strip} strip @param {[number, number][]} plays */
function where(strip, plays) {
  if (plays.length === 0) return [];
  const start = strip.audio?.start ?? 0;
  const time = (/** @type {number} */ frame) => clock(frame / doc.session.rate);
  const places = plays.slice(0, MOST_STRETCHES).map(([from, to]) => {
    const go = html(
      'button',
      { type: 'button', className: 'plain-button', title: 'Go there' },
      `${time(start + from)} – ${time(start + to)}`,
    );
    go.addEventListener('click', () => host.seek(start + from));
    return go;
  });
  const more = plays.length > MOST_STRETCHES ? [html('span', { className: 'quiet' }, `and ${plays.length - MOST_STRETCHES} more`)] : [];
  return [group('Where it plays', html('p', { className: 'stretches' }, ...places, ...more))];
}

/** Strips that can take sound in from this one. @param {Strip} strip @param {string[]} roles @returns {[string, string][]} */
const takers = (strip, roles) =>
  doc.session.strips.filter((s) => roles.includes(s.role) && s.id !== strip.id).map((s) => [String(s.id), `${s.name} (${s.role})`]);

/** @param {Strip} strip */
function paths(strip) {
  const feeds = select('feeds', takers(strip, ['bus', 'return', 'main']), String(strip.feeds), (to) =>
    make({ edit: 'set-feeds', to: Number(to) }),
  );
  const rows = strip.sends.map((send, i) => sendRow(strip, send, i));
  const more = takers(strip, ['bus', 'return']).filter(([id]) => !strip.sends.some((s) => String(s.to) === id));
  const add = select('send to', [['', 'choose …'], ...more], '', (to) => {
    if (to) make({ edit: 'set-sends', sends: [...strip.sends, { to: Number(to), level_db: -12, before_fader: false }] });
  });
  return [group('Where it goes', feeds, ...rows, add, along(strip))];
}

/** What all racks on its way take away. @param {Strip} strip */
function along(strip) {
  const said = html('span', { className: 'quiet', role: 'status' });
  const button = html('button', { type: 'button', className: 'plain-button' }, 'total gain reduction along the path');
  button.addEventListener('click', async () => {
    said.textContent = ' adding up …';
    const words = await takenAlong(strip.id).catch((error) => (error instanceof Error ? error.message : String(error)));
    said.textContent = ` ${words || 'no gain reduction along the path'}`;
  });
  return html('p', { className: 'along' }, button, said);
}

/** Level of a send where changes hold. @param {Strip} strip @param {import('../../session/document.js').Send} send */
function sendLevelIn(strip, send) {
  const here = courseOf(strip, sendPath(send.to)).sections.find((h) => h.section === scope())?.value;
  return typeof here === 'number' ? here : send.level_db;
}

/** @param {Strip} strip @param {import('../../session/document.js').Send} send @param {number} i */
function sendRow(strip, send, i) {
  /** @param {Partial<typeof send>} part @param {string} gesture */
  const change = (part, gesture) => {
    const sends = doc.find(strip.id).sends.map((s, k) => (k === i ? { ...s, ...part } : s));
    make({ edit: 'set-sends', sends }, gesture);
  };
  const rule = new Rule({
    table: 'strip',
    param: 'level_db',
    compact: true,
    of: `send to ${doc.find(send.to).name}`,
    value: sendLevelIn(strip, send),
    onChange: (value, gesture) => {
      const param = sendPath(send.to);
      if (scope()) void doc.edit({ edit: 'set-here', strip: strip.id, unit: 0, param, section: scope(), value: Number(value) }, gesture);
      else change({ level_db: Number(value) }, gesture);
    },
  });
  rule.element.dataset.path = sendPath(send.to);
  rule.element.addEventListener('focusin', () => lane.touch({ strip: strip.id, unit: 0, param: sendPath(send.to) }));
  queueMicrotask(() => markChanges(/** @type {HTMLElement} */ (rule.element.parentElement), strip));
  const where = tabs(
    [
      { id: 'after', label: 'after fader' },
      { id: 'before', label: 'before' },
    ],
    send.before_fader ? 'before' : 'after',
    'Where the send is taken',
    (id) => change({ before_fader: id === 'before' }, newGesture()),
  );
  const remove = html(
    'button',
    { type: 'button', className: 'plain-button', 'aria-label': `Remove the send to ${doc.find(send.to).name}` },
    'remove',
  );
  remove.addEventListener('click', () => make({ edit: 'set-sends', sends: doc.find(strip.id).sends.filter((_, k) => k !== i) }));
  return html(
    'div',
    { className: 'send-row' },
    html('b', {}, doc.find(send.to).name),
    rule.element,
    html('span', { className: 'send-foot' }, where, remove),
  );
}

/** @param {Strip} strip */
function origin(strip) {
  const rule = (/** @type {string} */ param) =>
    new Rule({
      table: 'strip',
      param,
      of: strip.name,
      value: strip.controls[param],
      tempo: doc.session.tempo_bpm,
      onChange: (value, gesture) => make({ edit: 'set-control', control: param, value }, gesture),
    }).element;
  const flip = lamp(
    strip.controls.inverted,
    'inverted',
    (inverted) => {
      flip.setAttribute('aria-pressed', String(inverted));
      make({ edit: 'set-control', control: 'inverted', value: inverted });
    },
    'Invert polarity',
  );
  const image = optionsOf(parameter('strip', 'image'));
  const sides = select(
    'image',
    image.map((o) => [o.id, o.label]),
    strip.controls.image,
    (value) => make({ edit: 'set-control', control: 'image', value }),
  );
  const parts = [html('div', { className: 'sheet-line' }, html('span', {}, 'polarity'), flip), rule('delay_ms'), rule('input_db'), sides];
  if (strip.role === 'track') parts.push(...together(strip));
  return [group('How it comes in', ...parts)];
}

/** Sets: recordings of one performance. @param {Strip} strip */
function together(strip) {
  const others = doc.session.strips.filter((s) => s.role === 'track' && s.id !== strip.id);
  const partner = others.find((s) => strip.take_set && s.take_set === strip.take_set);
  const choose = select(
    'same take as',
    [['', 'no other'], ...others.map((s) => /** @type {[string, string]} */ ([String(s.id), s.name]))],
    String(partner?.id ?? ''),
    (id) => {
      const other = others.find((s) => String(s.id) === id);
      const set = other ? other.take_set || 1 + Math.max(0, ...doc.session.strips.map((s) => s.take_set)) : 0;
      /** @type {import('../../session/document.js').Edit[]} */
      const edits = [{ edit: 'set-take-set', strip: strip.id, set }];
      if (other) edits.push({ edit: 'set-take-set', strip: other.id, set });
      void doc.edit({ edit: 'several', edits });
    },
  );
  if (!partner) return [choose];
  const which = tabs(
    [
      { id: 'first', label: 'this' },
      { id: 'second', label: 'partner' },
      { id: 'both', label: 'both' },
      { id: 'mix', label: 'mix' },
    ],
    'mix',
    'Hear of this take',
    (id) => {
      hear({ first: [strip.id], second: [partner.id], both: [strip.id, partner.id], mix: [] }[id] ?? []);
    },
  );
  const measure = html('button', { type: 'button', className: 'plain-button' }, `measure against ${partner.name}`);
  const said = html('p', { className: 'quiet', role: 'status' });
  measure.addEventListener('click', async () => {
    said.textContent = 'measuring …';
    try {
      const result = await longWork(`/api/sessions/${doc.id}/align`, { first: strip.id, second: partner.id }, () => {});
      if (!result?.edit) {
        said.textContent = result?.sentence ?? '';
        return;
      }
      const apply = html('button', { type: 'button', className: 'plain-button' }, `align: ${signed(result.gain_db)} dB`);
      apply.addEventListener('click', () => void doc.edit(result.edit));
      said.replaceChildren(`${result.sentence} `, apply);
    } catch (error) {
      note(error instanceof Error ? error.message : String(error));
    }
  });
  return [choose, html('div', { className: 'sheet-line' }, html('span', {}, 'hear'), which), ratio(strip, partner), measure, said];
}

/** How both recordings share the sound; their sum keeps its level. @param {Strip} first @param {Strip} second */
function ratio(first, second) {
  const levels = () => ({
    first_db: Number(doc.find(first.id).controls.level_db),
    second_db: Number(doc.find(second.id).controls.level_db),
  });
  return new Rule({
    table: 'take',
    param: 'share',
    of: `${first.name} and ${second.name}`,
    value: ask({ ask: 'take', ...levels() }).share,
    onChange: (share, gesture) => {
      const to = ask({ ask: 'take', ...levels(), share: Number(share) });
      void doc.edit({ edit: 'set-control', strip: first.id, control: 'level_db', value: to.first_db }, `${gesture}-1`);
      void doc.edit({ edit: 'set-control', strip: second.id, control: 'level_db', value: to.second_db }, `${gesture}-2`);
    },
  }).element;
}

/** @param {Strip} strip */
function actions(strip) {
  const copy = html(
    'button',
    { type: 'button', className: 'plain-button' },
    strip.role === 'track' ? 'duplicate with its rack' : 'duplicate',
  );
  copy.addEventListener('click', () => {
    const at = doc.session.strips.findIndex((s) => s.id === strip.id) + 1;
    void doc.edit({ edit: 'add-strip', at, strip: { ...strip, id: 0, name: `${strip.name} 2`.slice(0, 80) } });
  });
  const remove = html('button', { type: 'button', className: 'plain-button' }, 'remove');
  remove.addEventListener('click', () => void doc.edit(askSession({ do: 'removal', strip: strip.id })));
  const dirt = html(
    'button',
    { type: 'button', className: 'plain-button', title: 'A return with drive, its lows cut, raised from nothing: felt, not heard' },
    'parallel dirt',
  );
  dirt.addEventListener('click', () => void doc.edit(askSession({ do: 'dirt', strip: strip.id })));
  return [
    html('section', { className: 'sheet-actions' }, ...(strip.role === 'return' ? [] : [dirt, ...recipes(strip)]), copy, remove),
    giveWay(strip),
  ];
}
