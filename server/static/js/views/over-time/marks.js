// @ts-check
/** Where it shows that a value changes with the song: a mark beside its label, a hollow rider elsewhere. */
import { html } from '../../draw/svg.js';
import { courseOf } from '../../session/course.js';
import { changes } from '../../session/over-time.js';
import { sectionName } from '../scope.js';

/**
 * Puts a mark beside the label of every control of an owner that changes with the song.
 * @param {HTMLElement} place
 * @param {{ over_time?: import('../../session/course.js').Course[] }} owner
 */
export function markChanges(place, owner) {
  for (const control of /** @type {NodeListOf<HTMLElement>} */ (place.querySelectorAll('[data-path]'))) {
    const path = control.dataset.path ?? '';
    const mark = control.querySelector(':scope > .changes-mark, :scope > label > .changes-mark');
    // A list or a box has no room inside for a mark.
    if (control instanceof HTMLSelectElement || control instanceof HTMLInputElement) {
      control.classList.toggle('changes', changes(owner, path));
      continue;
    }
    if (!changes(owner, path)) {
      mark?.remove();
      continue;
    }
    const { sections, points } = courseOf(owner, path);
    const words = [
      ...(sections.length ? [`differs in ${sections.map((h) => sectionName(h.section)).join(', ')}`] : []),
      ...(points.length ? [`has a lane of ${points.length} ${points.length === 1 ? 'point' : 'points'}, which wins where it rules`] : []),
    ].join('; ');
    if (mark) mark.setAttribute('title', words);
    else
      (control.querySelector('label') ?? control).append(
        html('span', { className: 'changes-mark', title: words }, html('span', { className: 'visually-hidden' }, words)),
      );
  }
}
