import { SaxesParser } from 'saxes';

/** What a description says of a file: its place in the bag, its size in bytes and its SHA-256 in hex. */
interface Described {
  readonly size: number;
  readonly sha256: string;
}

export interface DescribedPackage {
  /** By METS: files with what they are said to be. */
  readonly mets: ReadonlyMap<string, Described>;
  /** By PREMIS: the same, told once more. */
  readonly premis: ReadonlyMap<string, Described>;
  /** Names of agents that events are linked to, and of those that are described. */
  readonly linked: ReadonlySet<string>;
  readonly agents: ReadonlySet<string>;
  /** Divisions of the structural map that name no file. */
  readonly empty: number;
}

const metsSpace = 'http://www.loc.gov/METS/';
const premisSpace = 'http://www.loc.gov/premis/v3';
const xlinkSpace = 'http://www.w3.org/1999/xlink';

/**
 * Reads METS and PREMIS as whoever receives them has to: by a parser that takes only what is well-formed and knows namespaces. Throws with
 * the parser's own words for what is not.
 */
export function readPackage(xml: string): DescribedPackage {
  const parser = new SaxesParser({ xmlns: true });
  const mets = new Map<string, Described>();
  const premis = new Map<string, Described>();
  const [linked, agents] = [new Set<string>(), new Set<string>()];
  let empty = 0;
  let text = '';
  let file: { size: number; sha256: string } | null = null;
  let object = { path: '', size: -1, sha256: '' };
  const path: { readonly name: string; files: number }[] = [];
  parser.on('error', (error) => {
    throw error;
  });
  parser.on('opentag', ({ uri, local, attributes }) => {
    text = '';
    const name = uri === metsSpace ? `mets:${local}` : uri === premisSpace ? `premis:${local}` : local;
    const value = (attribute: string, space = ''): string =>
      Object.values(attributes).find((a) => a.local === attribute && a.uri === space)?.value ?? '';
    if (name === 'mets:file') file = { size: Number(value('SIZE')), sha256: value('CHECKSUM') };
    if (name === 'mets:FLocat' && file) mets.set(value('href', xlinkSpace).split('/').map(decodeURIComponent).join('/'), file);
    if (name === 'premis:object') object = { path: '', size: -1, sha256: '' };
    if (name === 'mets:fptr') path.at(-1)!.files++;
    path.push({ name, files: 0 });
  });
  parser.on('text', (part) => (text += part));
  parser.on('closetag', () => {
    const { name, files } = path.pop()!;
    const inside = path.at(-1);
    if (name === 'premis:objectIdentifierValue') object.path = text;
    if (name === 'premis:messageDigest') object.sha256 = text;
    if (name === 'premis:size') object.size = Number(text);
    if (name === 'premis:object') premis.set(object.path, object);
    if (name === 'premis:linkingAgentIdentifierValue') linked.add(text);
    if (name === 'premis:agentIdentifierValue') agents.add(text);
    if (name === 'mets:div' && inside?.name === 'mets:div' && files === 0) empty++;
    if (name === 'mets:file') file = null;
    text = '';
  });
  parser.write(xml).close();
  return { mets, premis, linked, agents, empty };
}
