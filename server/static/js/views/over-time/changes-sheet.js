// @ts-check
/** All that changes with the song, in order of time: gone to, edited, taken away, copied from section to section. */
import { html } from '../../draw/svg.js';
import { newGesture } from '../../session/document.js';
import { allChanges } from '../../session/over-time.js';
import { host } from '../listen-bar.js';
import { note } from '../notes.js';
import { scope, scopeEvents, setScope } from '../scope.js';
import { doc } from '../session-frame.js';
import { shortcuts } from '../shortcuts.js';
import { lane } from './lane-strip.js';
import { paramOf, valueWords } from './words.js';
import { placeWords } from '../../session/song-time.js';

/** @typedef {import('../../session/over-time.js').Target} Target */

/**
 * @typedef {{
 *   at: number, target: Target, section: number, value: number | string | boolean | null,
 *   points: import('../../session/course.js').Point[],
 * }} Row
 */

/** @returns {Row[]} */
function rows() {
  const all = allChanges(doc.session).flatMap(({ target, course }) => [
    ...course.sections.map((here) => ({
      at: doc.session.sections.find((s) => s.id === here.section)?.start ?? 0,
      target,
      section: here.section,
      value: here.value,
      points: [],
    })),
    ...(course.points.length ? [{ at: course.points[0].at, target, section: 0, value: null, points: course.points }] : []),
  ]);
  return all.sort((a, b) => a.at - b.at);
}

const opener = html('button', { type: 'button', className: 'plain-button', id: 'changes', title: 'All automation of this session (C)' });
document.querySelector('.scope')?.after(opener);
opener.addEventListener('click', open);

function showCount() {
  const count = rows().length;
  opener.textContent = count ? `automation ${count}` : 'automation';
}
showCount();
for (const type of ['change', 'newer']) doc.addEventListener(type, showCount);

const dialog = html('dialog', { className: 'sheet-dialog changes-sheet', 'aria-label': 'Automation' });
document.body.append(dialog);

/** Which row was gone to or edited last in this session, kept while the page goes to another strip. */
const PLACE = `zinc-changes-${doc.id}`;
/** What a row is known by. @param {Row} row */
const keyOf = ({ target, section }) => [target.strip, target.unit, target.param, section].join(':');

function open() {
  draw();
  dialog.showModal();
  dialog.querySelector('[data-last]')?.scrollIntoView({ block: 'center' });
}

for (const type of ['change', 'newer'])
  doc.addEventListener(type, () => {
    if (dialog.open) draw();
  });
scopeEvents.addEventListener('scope', () => {
  if (dialog.open) draw();
});

/** @param {string} label @param {() => void} run */
function button(label, run) {
  const made = html('button', { type: 'button', className: 'plain-button' }, label);
  made.addEventListener('click', run);
  return made;
}

/**
 * @param {Target} target
 * @param {number} section
 * @param {import('../../types.js').Written} value
 * @returns {import('../../session/document.js').Edit}
 */
const here = (target, section, value) => ({ edit: 'set-here', ...target, section, value });

function draw() {
  const all = rows();
  const last = sessionStorage.getItem(PLACE);
  const body = all.map((row) => {
    const found = paramOf(row.target);
    const strip = doc.session.strips.find((s) => s.id === row.target.strip);
    const section = doc.session.sections.find((s) => s.id === row.section);
    const value = !found
      ? ''
      : row.section
        ? valueWords(found.table, found.param, found.spec, row.value)
        : `lane: ${row.points.length} points, to ${placeWords(doc.session, row.points[row.points.length - 1].at)}`;
    return html(
      'tr',
      { data: keyOf(row) === last ? { last: '' } : {} },
      html('td', { className: 'figure' }, placeWords(doc.session, row.at)),
      html('td', {}, section ? section.name : 'lane'),
      html('td', {}, strip?.name ?? ''),
      html('td', {}, found?.label ?? row.target.param),
      html('td', { className: 'figure' }, value),
      html(
        'td',
        {},
        button('go', () => {
          sessionStorage.setItem(PLACE, keyOf(row));
          host.seek(row.at);
          dialog.close();
        }),
        button('edit', () => edit(row)),
        button(
          'remove',
          () =>
            void doc.edit(
              row.section ? here(row.target, row.section, null) : { edit: 'set-lane', ...row.target, points: [] },
              newGesture(),
            ),
        ),
      ),
    );
  });
  const head = ['from', 'in', 'strip', 'value', 'is', ''].map((word) => html('th', { scope: 'col' }, word));
  const stay = html(
    'select',
    { 'aria-label': 'When the tempo changes' },
    new Option('stay on their times', 'false'),
    new Option('stay on their beats', 'true'),
  );
  stay.value = String(Boolean(doc.session.points_on_beats));
  stay.addEventListener('change', () => void doc.edit({ edit: 'set-points-on', beats: stay.value === 'true' }));
  dialog.replaceChildren(
    html('h2', {}, 'Automation'),
    all.length
      ? html('table', { className: 'band-table' }, html('thead', {}, html('tr', {}, ...head)), html('tbody', {}, ...body))
      : html(
          'p',
          { className: 'quiet' },
          'No automation yet. Choose a section at "edits apply to" in the listen bar and move a control; ' +
            'or touch a control and press N for its lane.',
        ),
    copyTools(all),
    html('p', {}, html('label', {}, 'when the tempo changes, points ', stay)),
    html('form', { method: 'dialog' }, html('button', { className: 'strong-button' }, 'close')),
  );
}

/** @param {Row} row */
function edit(row) {
  sessionStorage.setItem(PLACE, keyOf(row));
  dialog.close();
  const strip = doc.session.strips.find((s) => s.id === row.target.strip);
  if (row.section) setScope(row.section);
  else lane.show(row.target);
  if (row.target.unit && strip && doc.strip !== strip.id) {
    const station = strip.rack.units.findIndex((u) => u.id === row.target.unit) + 1;
    window.location.assign(`/sessions/${doc.id}/bench/${strip.id}?station=${station}`);
  }
}

/** A section's differences copied to another, or taken away. @param {Row[]} all */
function copyTools(all) {
  const { sections } = doc.session;
  if (sections.length === 0) return html('span');
  const choice = (/** @type {string} */ label) =>
    html('select', { 'aria-label': label }, ...sections.map((s) => new Option(s.name, String(s.id))));
  const [from, to] = [choice('Section to copy from'), choice('Section to copy to')];
  from.value = String(all.find((row) => row.section === scope())?.section ?? all.find((row) => row.section)?.section ?? sections[0].id);
  to.value = String(sections.find((s) => String(s.id) !== from.value)?.id ?? from.value);
  const of = () => all.filter((row) => row.section === Number(from.value));
  const change = (/** @type {(row: Row) => import('../../session/document.js').Edit} */ make, /** @type {string} */ said) => {
    const edits = of().map(make);
    if (edits.length === 0) note('That section has no differences.');
    else
      void doc.edit(edits.length === 1 ? edits[0] : { edit: 'several', edits }).then((done) => {
        if (done) note(said);
      });
  };
  const name = (/** @type {HTMLSelectElement} */ list) => sections.find((s) => s.id === Number(list.value))?.name ?? '';
  return html(
    'p',
    { className: 'changes-copy' },
    'differences of ',
    from,
    ' ',
    button('copy to', () =>
      change(
        (row) => here(row.target, Number(to.value), row.value),
        `${name(to)} has the differences of ${name(from)}; undo removes them.`,
      ),
    ),
    ' ',
    to,
    ' ',
    button('as whole song', () =>
      change((row) => here(row.target, row.section, null), `${name(from)} is as the whole song; undo restores its differences.`),
    ),
  );
}

shortcuts({ keys: 'C', does: 'automation of the session', run: open });
