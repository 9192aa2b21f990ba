// @ts-check
/** Where a value stands in a unit as it is written down: `field`, or `group.field`. */

/** A value of a unit's parameters or of a row. @param {import('../types.js').Params} object @param {string} path */
export function valueAt(object, path) {
  const [group, field] = path.split('.');
  return field ? object[group]?.[field] : object[group];
}

/** The same with another value there. @param {import('../types.js').Params} object @param {string} path @param {unknown} value */
export function put(object, path, value) {
  const [group, field] = path.split('.');
  return field ? { ...object, [group]: { ...object[group], [field]: value } } : { ...object, [path]: value };
}
