import type { XMLBuilder } from 'xmlbuilder2/lib/interfaces';
import type { Fixity } from './bag.js';

/** One file of a record as the package describes it. */
export interface PackedFile {
  /** In the bag, below the bag's own folder. */
  readonly path: string;
  readonly fileName: string;
  readonly mediaType: string;
  readonly use: 'content' | 'ledger';
}

interface PackedEvent {
  readonly act: string;
  /** ISO 8601 with zone. */
  readonly at: string;
  readonly agent: string;
  readonly note: string | null;
}

/** A record as METS, PREMIS and Dublin Core tell it. */
export interface PackedRecord {
  readonly id: string;
  readonly number: string;
  readonly title: string;
  readonly typeTitle: string;
  /** Terms of the Dublin Core element set and their values. */
  readonly dublinCore: readonly (readonly [string, string])[];
  readonly rule: string;
  readonly files: readonly PackedFile[];
  readonly events: readonly PackedEvent[];
}

export interface PackageDescription {
  readonly repository: string;
  readonly batch: string;
  readonly what: string;
  /** ISO 8601 with zone. */
  readonly madeAt: string;
  readonly records: readonly PackedRecord[];
}

const namespaces = {
  xmlns: 'http://www.loc.gov/METS/',
  'xmlns:xlink': 'http://www.w3.org/1999/xlink',
  'xmlns:dc': 'http://purl.org/dc/elements/1.1/',
  'xmlns:premis': 'http://www.loc.gov/premis/v3',
  'xmlns:xsi': 'http://www.w3.org/2001/XMLSchema-instance',
} as const;

function dublinCore(mets: XMLBuilder, record: PackedRecord, key: string): void {
  const data = mets
    .ele('dmdSec', { ID: `dmd-${key}` })
    .ele('mdWrap', { MDTYPE: 'DC' })
    .ele('xmlData');
  for (const [term, value] of record.dublinCore) data.ele(`dc:${term}`).txt(value);
}

function premisObject(section: XMLBuilder, file: PackedFile, fixity: Fixity, id: string): void {
  const object = section
    .ele('techMD', { ID: `tech-${id}` })
    .ele('mdWrap', { MDTYPE: 'PREMIS:OBJECT' })
    .ele('xmlData')
    .ele('premis:object', { 'xsi:type': 'premis:file' });
  const identifier = object.ele('premis:objectIdentifier');
  identifier.ele('premis:objectIdentifierType').txt('path in the bag');
  identifier.ele('premis:objectIdentifierValue').txt(file.path);
  const traits = object.ele('premis:objectCharacteristics');
  const digest = traits.ele('premis:fixity');
  digest.ele('premis:messageDigestAlgorithm').txt('SHA-256');
  digest.ele('premis:messageDigest').txt(fixity.sha256);
  traits.ele('premis:size').txt(String(fixity.size));
  traits.ele('premis:format').ele('premis:formatDesignation').ele('premis:formatName').txt(file.mediaType);
  object.ele('premis:originalName').txt(file.fileName);
}

function premisEvent(section: XMLBuilder, event: PackedEvent, id: string): void {
  const data = section
    .ele('digiprovMD', { ID: `event-${id}` })
    .ele('mdWrap', { MDTYPE: 'PREMIS:EVENT' })
    .ele('xmlData')
    .ele('premis:event');
  const identifier = data.ele('premis:eventIdentifier');
  identifier.ele('premis:eventIdentifierType').txt('in this package');
  identifier.ele('premis:eventIdentifierValue').txt(id);
  data.ele('premis:eventType').txt(event.act);
  data.ele('premis:eventDateTime').txt(event.at);
  if (event.note) data.ele('premis:eventDetailInformation').ele('premis:eventDetail').txt(event.note);
  const agent = data.ele('premis:linkingAgentIdentifier');
  agent.ele('premis:linkingAgentIdentifierType').txt('name');
  agent.ele('premis:linkingAgentIdentifierValue').txt(event.agent);
}

/** Whom the events of a record name: PREMIS knows people and programs as agents, each described once. */
function premisAgents(section: XMLBuilder, events: readonly PackedEvent[], key: string): void {
  [...new Set(events.map((event) => event.agent))].forEach((name, a) => {
    const agent = section
      .ele('digiprovMD', { ID: `agent-${key}-${a + 1}` })
      .ele('mdWrap', { MDTYPE: 'PREMIS:AGENT' })
      .ele('xmlData')
      .ele('premis:agent');
    const identifier = agent.ele('premis:agentIdentifier');
    identifier.ele('premis:agentIdentifierType').txt('name');
    identifier.ele('premis:agentIdentifierValue').txt(name);
    agent.ele('premis:agentName').txt(name);
  });
}

/**
 * The description of a package: METS 1.12 with Dublin Core for what each record is, PREMIS 3.0 for its files and for
 * what happened to it, and a structural map with one division a record.
 * `fixityOf` gives what each path in the bag was when it went in.
 */
export async function packageXml(description: PackageDescription, fixityOf: (path: string) => Fixity): Promise<string> {
  const { create } = await import('xmlbuilder2');
  const document = create({ version: '1.0', encoding: 'UTF-8', invalidCharReplacement: '\ufffd' });
  const mets = document.ele('mets', { ...namespaces, OBJID: description.batch, LABEL: description.what, TYPE: 'transfer of records' });
  const header = mets.ele('metsHdr', { CREATEDATE: description.madeAt });
  header.ele('agent', { ROLE: 'CREATOR', TYPE: 'ORGANIZATION' }).ele('name').txt(description.repository);
  header.ele('agent', { ROLE: 'CREATOR', TYPE: 'OTHER', OTHERTYPE: 'SOFTWARE' }).ele('name').txt('Key Cellar');
  // METS wants its sections in this order: all dmdSec, all amdSec, then fileSec and structMap.
  description.records.forEach((record, r) => dublinCore(mets, record, String(r + 1)));
  description.records.forEach((record, r) => {
    const section = mets.ele('amdSec', { ID: `amd-${r + 1}` });
    record.files.forEach((file, f) => premisObject(section, file, fixityOf(file.path), `${r + 1}-${f + 1}`));
    const rights = section.ele('rightsMD', { ID: `rights-${r + 1}` }).ele('mdWrap', { MDTYPE: 'OTHER', OTHERMDTYPE: 'retention rule' });
    rights.ele('xmlData').ele('dc:rights').txt(record.rule);
    record.events.forEach((event, e) => premisEvent(section, event, `${r + 1}-${e + 1}`));
    premisAgents(section, record.events, String(r + 1));
  });
  const fileSec = mets.ele('fileSec');
  description.records.forEach((record, r) => {
    const group = fileSec.ele('fileGrp', { ID: `files-${r + 1}`, ADMID: `amd-${r + 1}` });
    record.files.forEach((file, f) => {
      const { sha256, size } = fixityOf(file.path);
      group
        .ele('file', {
          ID: `file-${r + 1}-${f + 1}`,
          ADMID: `tech-${r + 1}-${f + 1}`,
          MIMETYPE: file.mediaType,
          SIZE: size,
          CHECKSUM: sha256,
          CHECKSUMTYPE: 'SHA-256',
          USE: file.use,
        })
        .ele('FLocat', { LOCTYPE: 'URL', 'xlink:href': file.path.split('/').map(encodeURIComponent).join('/') });
    });
  });
  const root = mets.ele('structMap', { TYPE: 'logical' }).ele('div', { LABEL: description.what });
  description.records.forEach((record, r) => {
    const division = root.ele('div', {
      DMDID: `dmd-${r + 1}`,
      ADMID: `amd-${r + 1}`,
      TYPE: record.typeTitle,
      LABEL: `${record.number} ${record.title}`,
    });
    record.files.forEach((_, f) => division.ele('fptr', { FILEID: `file-${r + 1}-${f + 1}` }));
  });
  return document.end({ prettyPrint: true });
}
