// @ts-check
/**
 * Which window this is: the same after another page was opened in it or it was loaded anew, and
 * another than any other that is open, also one made as a copy of this.
 */

const KEPT = 'zinc-window';

/** @returns {Promise<string>} */
export async function ownWindow() {
  const known = sessionStorage.getItem(KEPT);
  const name = known && (await hold(known)) ? known : crypto.randomUUID().slice(0, 8);
  if (name !== known) void hold(name);
  sessionStorage.setItem(KEPT, name);
  return name;
}

/**
 * Holds a name for as long as the page is there.
 * @param {string} name
 * @returns {Promise<boolean>} false where another window holds it, or that cannot be known
 */
function hold(name) {
  if (!navigator.locks) return Promise.resolve(false);
  return new Promise((resolve) => {
    void navigator.locks.request(`${KEPT}-${name}`, { ifAvailable: true }, (lock) => {
      resolve(lock !== null);
      return lock === null ? undefined : new Promise(() => {});
    });
  });
}
