// @ts-check
/** What is done to a session as a whole: further tracks, new paths, dialogs over all strips, faders to 0. */
import { html } from '../../draw/svg.js';
import { doc } from '../session-frame.js';
import { openAddTracks } from './add-tracks.js';
import { busesByFamily, openNewPath } from './new-path.js';

/**
 * @param {HTMLElement} place
 * @param {{ path: () => void, sets: () => void, room: () => void, sections: () => void }} open dialogs
 */
export function sessionTools(place, open) {
  const button = (/** @type {string} */ words, /** @type {() => void} */ act, title = '') => {
    const b = html('button', { type: 'button', className: 'plain-button', title }, words);
    b.addEventListener('click', act);
    place.append(b);
  };
  button('+ tracks', () => openAddTracks(), 'Further files into this session; or drop them on the Desk');
  button('+ bus', () => openNewPath('bus'), 'A new bus into the main, and what feeds it');
  button('+ return', () => openNewPath('return'), 'A new parallel path into the main, and what is sent to it');
  button('buses by family', busesByFamily, 'A bus for every family of two tracks or more that feed the main, as one change');
  button('sections', open.sections, 'Sections of the song: made, moved, split, typed (S)');
  button('signal path', open.path, 'Every block and path of the session');
  button('sets of units', open.sets, 'Units across tracks that are judged together');
  button('make room', open.room, "Tracks in each other's way, and what lets one be heard beside the other");
  button(
    'faders to 0',
    () => {
      const edits = doc.session.strips
        .filter((s) => s.role !== 'main')
        .map(
          (s) =>
            /** @type {import('../../session/document.js').Edit} */ ({ edit: 'set-control', strip: s.id, control: 'level_db', value: 0 }),
        );
      void doc.edit({ edit: 'several', edits });
    },
    'Every fader to 0 dB, as one change',
  );
}
