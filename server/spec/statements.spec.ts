import { readdirSync, readFileSync } from 'node:fs';
import { fileURLToPath } from 'node:url';
import ts from 'typescript';

const root = fileURLToPath(new URL('../..', import.meta.url));

/** The fixed names of prepared statements in a folder of sources, with the places that use them. */
function statementNames(folder: string): [name: string, at: string][] {
  const files = readdirSync(`${root}${folder}`, { recursive: true, encoding: 'utf8' }).filter((f) => f.endsWith('.ts'));
  return files.flatMap((file) => {
    const source = ts.createSourceFile(file, readFileSync(`${root}${folder}/${file}`, 'utf8'), ts.ScriptTarget.Latest, true);
    const found: [string, string][] = [];
    const visit = (node: ts.Node): void => {
      if (ts.isCallExpression(node) && ts.isIdentifier(node.expression) && ['row', 'rows', 'run'].includes(node.expression.text)) {
        const [, name] = node.arguments;
        const { line } = source.getLineAndCharacterOfPosition(node.getStart());
        if (name && ts.isStringLiteral(name)) found.push([name.text, `${folder}/${file}:${line + 1}`]);
      }
      ts.forEachChild(node, visit);
    };
    visit(source);
    return found;
  });
}

describe('prepared statements', () => {
  // A connection refuses a name that comes with another text, and which connection one gets is chance.
  it('have a name for each place in the program', () => {
    const places = new Map<string, string[]>();
    for (const [name, at] of [...statementNames('server/src'), ...statementNames('demo/src')]) {
      places.set(name, [...(places.get(name) ?? []), at]);
    }
    expect(places.size).toBeGreaterThan(400);
    expect([...places].filter(([, at]) => at.length > 1)).toEqual([]);
  });
});
