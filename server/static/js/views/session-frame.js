// @ts-check
/** What every page of a session has: the document, undo, what is kept. */
import './frame.js';
import { SessionDocument } from '../session/document.js';
import { ownWindow } from '../session/window.js';
import { note } from './notes.js';
import { shortcuts } from './shortcuts.js';

/** The page's document. */
export const doc = new SessionDocument(await ownWindow());

const undo = /** @type {HTMLButtonElement} */ (document.getElementById('undo'));
const redo = /** @type {HTMLButtonElement} */ (document.getElementById('redo'));

/** What the page says where nothing waits: of a damaged session, that it is read-only. */
const atRest = document.getElementById('kept')?.textContent ?? '';

function showSteps() {
  undo.disabled = doc.undo === 0;
  redo.disabled = doc.redo === 0;
  const count = document.getElementById('undo-count');
  if (count) count.textContent = String(doc.undo);
}

doc.addEventListener('kept', (event) => {
  const { waiting, lost } = /** @type {CustomEvent} */ (event).detail;
  const kept = document.getElementById('kept');
  if (kept?.parentElement) {
    kept.textContent = lost ? 'server not reached; change waits here' : waiting ? 'keeping…' : atRest;
    kept.parentElement.dataset.state = lost ? 'waiting' : '';
  }
  showSteps();
});
doc.addEventListener('trouble', (event) => note(/** @type {CustomEvent} */ (event).detail));
doc.addEventListener('offer', (event) => {
  const { sentence, label, run } = /** @type {CustomEvent<{ sentence: string, label: string, run: () => void }>} */ (event).detail;
  note(sentence, { label, run });
});
undo.addEventListener('click', () => void doc.step('undo'));
redo.addEventListener('click', () => void doc.step('redo'));
shortcuts(
  { keys: 'Ctrl+Z', does: 'undo', run: () => void doc.step('undo') },
  { keys: 'Ctrl+Shift+Z', does: 'redo', run: () => void doc.step('redo') },
);
showSteps();
