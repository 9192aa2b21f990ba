// @ts-check
/** The trim with which a unit leaves its part as loud as it came, found over the whole of it. */
import { html, signed } from '../../draw/svg.js';
import { longWork } from '../../session/work.js';
import { note } from '../notes.js';
import { doc } from '../session-frame.js';

/** @param {import('../../session/document.js').Unit} unit */
function stripOf(unit) {
  return doc.session.strips.find((strip) => strip.rack.units.some((other) => other.id === unit.id));
}

/** The button that finds it. @param {() => import('../../session/document.js').Unit} unit */
export function fitTrim(unit) {
  const button = html(
    'button',
    {
      type: 'button',
      className: 'plain-button',
      title:
        'Hears the whole part and sets the trim so that it leaves as loud as it came, from wherever it is ' +
        'played; a level that it held by listening is let go',
      'aria-label': 'fit output',
    },
    'fit output',
  );
  button.addEventListener('click', async () => {
    const strip = stripOf(unit());
    if (!strip) return;
    button.disabled = true;
    try {
      await doc.idle();
      const heard = JSON.stringify(unit().params);
      const found = await longWork(`/api/sessions/${doc.id}/strips/${strip.id}/units/${unit().id}/level`, {}, () => {});
      if (!found) return;
      if (JSON.stringify(unit().params) !== heard)
        throw new Error('The unit was changed while its part was heard; its trim was left as it was. Press again.');
      // One beyond the trim's own range is refused, and says so itself.
      if (await doc.edit(found.edit)) note(`As loud as it came with a trim of ${signed(found.trim_db)} dB.`);
    } catch (error) {
      note(error instanceof Error ? error.message : String(error));
    } finally {
      button.disabled = false;
    }
  });
  return button;
}
