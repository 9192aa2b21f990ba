// @ts-check
/** *Bench* in the head leads to the strip that was last worked on in this window. */

const link = /** @type {HTMLAnchorElement | null} */ (document.querySelector('.head-nav a[href*="/bench/"]'));

/** Whether a strip is still in the session, as far as this page knows. @param {string} strip */
function isThere(strip) {
  const { session } = JSON.parse(document.getElementById('document')?.textContent || '{}');
  return !session || session.strips.some((/** @type {{ id: number }} */ known) => String(known.id) === strip);
}

if (link) {
  const [session, strip] = link.pathname.match(/\d+/g) ?? [];
  const name = `zinc-strip-${session}`;
  if (link.hasAttribute('aria-current')) sessionStorage.setItem(name, strip);
  const last = sessionStorage.getItem(name);
  if (last && isThere(last)) link.pathname = `/sessions/${session}/bench/${last}`;
}
