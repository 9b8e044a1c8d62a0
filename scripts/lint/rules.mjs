/** Rules of our own for ESLint: which way imports run, no circles, and where SQL may stand. */

import { below, circlesOf, resolveImport, sourcesBelow } from './imports.mjs';

/** Layer of a file: that of its folder, or of itself where it lies in the root. */
const layerOf = (order, path) => {
  const [top, ...rest] = path.split('/');
  const name = rest.length === 0 ? top.replace(/\.ts$/, '') : top;
  const at = order.findIndex((layer) => layer.includes(name));
  return { name, at };
};

const visitImports = (context, check) => {
  const visit = (node) => {
    if (node.source && typeof node.source.value === 'string' && node.source.value.startsWith('.'))
      check(node.source, node.source.value);
  };
  return { ImportDeclaration: visit, ExportNamedDeclaration: visit, ExportAllDeclaration: visit };
};

/** Sources of a root, read once a run. */
const known = new Map();
const sourcesOf = (root) => {
  if (!known.has(root)) known.set(root, sourcesBelow(root));
  return known.get(root);
};

/** Circles of a root, looked for once a run. */
const circles = new Map();
const circlesIn = (root) => {
  if (!circles.has(root)) circles.set(root, circlesOf(sourcesOf(root)));
  return circles.get(root);
};

/**
 * Folders from the ground up; what lies lower knows nothing of what lies higher. Folders of one layer know nothing of
 * each other. Options: `root`, `order` (lists of names), `doors` (names that others may enter by their index only).
 */
const arrows = {
  meta: { type: 'problem', schema: [{ type: 'object' }] },
  create(context) {
    const { root, order, doors = [], files } = context.options[0];
    const path = below(root, context.filename);
    if (path === null) return {};
    const all = files ? new Map(Object.entries(files)) : sourcesOf(root);
    const here = layerOf(order, path);
    return {
      Program(node) {
        if (here.at < 0)
          context.report({
            node,
            message: `"${here.name}" has no place in the order of ${root}; give it one.`,
          });
      },
      ...visitImports(context, (node, specifier) => {
        const target = resolveImport(path, specifier, (file) => all.has(file));
        if (target === null) return;
        const there = layerOf(order, target);
        if (there.name === here.name) return;
        if (there.at > here.at)
          context.report({
            node,
            message: `Imports run downwards: "${here.name}" lies below "${there.name}".`,
          });
        else if (there.at === here.at)
          context.report({
            node,
            message: `"${here.name}" and "${there.name}" lie side by side and know nothing of each other.`,
          });
        else if (doors.includes(there.name) && target !== `${there.name}/index.ts`)
          context.report({
            node,
            message: `What others may call of "${there.name}" stands in its index.ts; import that.`,
          });
      }),
    };
  },
};

/** No file imports itself by way of others. Option: `root`. */
const noCircles = {
  meta: { type: 'problem', schema: [{ type: 'object' }] },
  create(context) {
    const { root, files } = context.options[0];
    const path = below(root, context.filename);
    if (path === null) return {};
    return {
      Program(node) {
        const circle = (files ? circlesOf(new Map(Object.entries(files))) : circlesIn(root)).get(path);
        if (circle)
          context.report({ node, message: `Imports run in a circle: ${[...circle, circle[0]].join(' → ')}` });
      },
    };
  },
};

/** Names under which a database goes, and what of it may be used outside repositories. */
const databases = new Set(['knex', 'db', 'trx']);
const allowed = new Set(['transaction', 'destroy']);

const nameOf = (node) =>
  node.type === 'Identifier' ? node.name : node.type === 'MemberExpression' ? nameOf(node.property) : '';

/** A question to the database outside a repository: `knex('table')`, `db('table')`, `x.knex(…)`, `db.raw(…)`. */
const sqlInRepositories = {
  meta: { type: 'problem', schema: [] },
  create(context) {
    const report = (node) =>
      context.report({
        node,
        message: 'SQL belongs to a repository: a file named repository.ts or …-repository.ts.',
      });
    return {
      CallExpression(node) {
        if (databases.has(nameOf(node.callee))) report(node);
      },
      MemberExpression(node) {
        const part = nameOf(node.property);
        if (databases.has(nameOf(node.object)) && !allowed.has(part)) report(node);
      },
    };
  },
};

/** An error class without its own name is told as "Error" in every log. */
const namedErrors = {
  meta: { type: 'problem', schema: [] },
  create: (context) => ({
    ClassDeclaration(node) {
      if (!/Error$/.test(nameOf(node.superClass ?? {}))) return;
      const named = node.body.body.some(
        ({ key, value }) => key && nameOf(key) === 'name' && value?.value === node.id.name,
      );
      if (!named)
        context.report({
          node,
          message: `Give ${node.id.name} its name: readonly name = '${node.id.name}'.`,
        });
    },
  }),
};

export const ours = {
  rules: {
    arrows,
    'no-circles': noCircles,
    'sql-in-repositories': sqlInRepositories,
    'named-errors': namedErrors,
  },
};
