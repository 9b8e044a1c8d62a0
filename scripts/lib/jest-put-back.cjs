/**
 * What an object's own properties are now; those that are reckoned when they are asked for are left alone.
 * @returns puts them back
 */
exports.remember = (object) => {
  const values = Object.entries(Object.getOwnPropertyDescriptors(object)).filter(
    ([, { writable }]) => writable,
  );
  return () => {
    for (const [name, { value }] of values) if (object[name] !== value) object[name] = value;
  };
};
