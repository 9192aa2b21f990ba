// @ts-check
/** What the import check found: a badge in the rows, and how many there are in all. */
import { html } from '../../draw/svg.js';
import { request } from '../../session/api.js';
import { doc } from '../session-frame.js';

export class Findings {
  constructor() {
    /** By strip. @type {Map<number, import('./strip-sheet.js').Check>} */
    this.checks = new Map();
  }

  /** @param {number} id @returns {import('./strip-sheet.js').Check} */
  of(id) {
    return this.checks.get(id) ?? { findings: [], plays: [] };
  }

  /** Marks the rows whose recording has faults. @param {HTMLElement[]} rows */
  async show(rows) {
    const all = await request(`/api/sessions/${doc.id}/findings`, undefined, 'GET');
    this.checks.clear();
    for (const { strip, findings, plays } of all) this.checks.set(strip, { findings, plays });
    rows.forEach((row) => this.mark(row));
    this.sum();
  }

  /** @param {HTMLElement} row */
  mark(row) {
    const { findings } = this.of(Number(row.dataset.strip));
    const badge = /** @type {HTMLElement | null} */ (row.querySelector('[data-findings]'));
    if (!badge) return;
    badge.hidden = findings.length === 0;
    badge.textContent = String(findings.length);
    badge.title = findings.map((f) => f.sentence).join(' ');
  }

  sum() {
    const found = [...this.checks.values()].flatMap((check) => check.findings);
    const edits = found.flatMap((f) => f.edits);
    const place = /** @type {HTMLElement | null} */ (document.getElementById('check-all'));
    if (!place) return;
    place.hidden = edits.length === 0;
    if (edits.length === 0) return;
    const mend = html('button', { type: 'button', className: 'plain-button' }, 'mend all');
    mend.addEventListener('click', () => void doc.edit({ edit: 'several', edits }));
    place.replaceChildren(`The import check found ${found.length} ${found.length === 1 ? 'thing' : 'things'}. `, mend);
  }
}
