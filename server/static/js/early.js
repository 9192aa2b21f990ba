// Before the page's modules are there: a press of play, or of Space, is kept and shown. The
// listen bar takes it over (`data-heard`) and plays as soon as it can.
(() => {
  const play = document.getElementById('play');
  if (!play) return;
  const press = () => {
    if (play.dataset.heard === undefined) play.toggleAttribute('data-wanted');
  };
  play.addEventListener('click', press);
  document.addEventListener('keydown', (event) => {
    const target = event.target instanceof Element ? event.target : document.body;
    if (event.key !== ' ' || play.dataset.heard !== undefined || event.ctrlKey || event.metaKey || event.altKey) return;
    // A focused button answers to Space itself.
    if (target.matches('button, summary, input, select, textarea')) return;
    event.preventDefault();
    press();
  });
})();
