// Read before anything of the page is drawn, so that no press of play, or of Space, is lost before its modules are there:
// it is kept and shown. The listen bar takes it over (`data-heard`) and plays as soon as it can.
(() => {
  /** What stands where the place in the song will. */
  let stood = '';
  const press = () => {
    const play = document.getElementById('play');
    const place = document.getElementById('place');
    if (!play || !place || play.dataset.heard !== undefined) return;
    const isWanted = play.toggleAttribute('data-wanted');
    if (isWanted) stood = place.textContent ?? '';
    place.textContent = isWanted ? (place.dataset.whileWanted ?? '') : stood;
  };
  const isFrom = (/** @type {Event} */ event, /** @type {string} */ what) =>
    event.target instanceof Element && event.target.closest(what) !== null;
  document.addEventListener('click', (event) => {
    if (isFrom(event, '#play')) press();
  });
  document.addEventListener('keydown', (event) => {
    const isHeard = document.getElementById('play')?.dataset.heard !== undefined;
    if (event.key !== ' ' || isHeard || event.ctrlKey || event.metaKey || event.altKey) return;
    // A focused button answers to Space itself.
    if (isFrom(event, 'button, summary, input, select, textarea')) return;
    event.preventDefault();
    press();
  });
})();
