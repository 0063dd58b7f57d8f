// Mutants made from the table of acts: every right that an act asks for is taken out, and every decision of the core.
import { readdirSync, readFileSync, statSync } from 'node:fs';
import { join, relative, sep } from 'node:path';
import ts from 'typescript';
import { root } from '../lib/paths.mjs';

const sources = join(root, 'server', 'src');
const noRight = "{ words: 'none', may: [], of: () => null }";
/** Where in the call the right stands. */
const rightAt = { one: 2, many: 2, perhaps: 2, atRepository: 0 };
/** Specs that go through the acts of an area. */
const specsOf = {
  docket: ['execution', 'slice', 'approvers', 'transfer', 'steps', 'routes', 'discovery'],
  facts: ['facts', 'routes', 'discovery'],
  holds: ['holds', 'acts', 'routes', 'discovery'],
  plan: ['repeat', 'places', 'planChanges', 'stencils', 'tables', 'routes', 'discovery'],
  receiving: ['content', 'slice', 'facts', 'routes', 'discovery'],
  records: ['acts', 'slice', 'pages', 'levels', 'numbering', 'detectors', 'facts', 'routes', 'discovery'],
  schedule: ['acts', 'repeat', 'schedule', 'levels', 'planChanges', 'effect', 'tables', 'routes', 'discovery'],
};

function* files(folder) {
  for (const name of readdirSync(folder)) {
    const path = join(folder, name);
    if (statSync(path).isDirectory()) yield* files(path);
    else if (/\.ts$/.test(name) && !/\.spec\.ts$/.test(name)) yield path;
  }
}

/** The call that a node stands in: `act(holds.release, { … })` gives “holds.release”. */
function actAround(node) {
  for (let up = node.parent; up; up = up.parent) {
    if (ts.isCallExpression(up) && ts.isIdentifier(up.expression) && /^act/.test(up.expression.text) && up.arguments.length === 2)
      return up.arguments[0].getText();
  }
  return null;
}

export function tableMutants() {
  const found = [];
  for (const path of files(sources)) {
    const file = relative(root, path).split(sep).join('/');
    const area = file.split('/')[2];
    if (area === 'kernel' || area === 'http') continue;
    const source = ts.createSourceFile(path, readFileSync(path, 'utf8'), ts.ScriptTarget.Latest, true);
    const visit = (node) => {
      const act = actAround(node);
      if (act && ts.isCallExpression(node) && ts.isIdentifier(node.expression)) {
        const right = node.arguments[rightAt[node.expression.text] ?? -1];
        if (right && ts.isStringLiteral(right)) {
          found.push({
            area: 'rights',
            promise: `${act} asks for “${right.text}”`,
            file,
            at: [right.getStart(), right.end],
            put: noRight,
            specs: 'table',
          });
        }
      }
      if (act && (ts.isPropertyAssignment(node) || ts.isMethodDeclaration(node)) && node.name.getText() === 'decide') {
        found.push({
          area: 'decisions',
          promise: `${act} asks the core`,
          file,
          at: [node.getStart(), node.end],
          put: 'decide: () => null',
          specs: specsOf[area],
        });
      }
      ts.forEachChild(node, visit);
    };
    visit(source);
  }
  return found;
}
