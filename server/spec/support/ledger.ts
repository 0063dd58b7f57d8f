import { inEnglish } from '@key-cellar/words/testing';
import { execFile } from 'node:child_process';
import { mkdtemp, readdir, readFile, writeFile } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import type { LedgerReport, VerifyLine, Told } from '@key-cellar/contract';
import type { Spoken } from '@key-cellar/words/spoken';
import { verifyLedger } from '../../src/index.js';
import { configFor, pastTheGuards } from './database.js';
import type { Client, World } from './world.js';

const verifier = fileURLToPath(new URL('../../../tools/verify-ledger.mjs', import.meta.url));

/** Runs the small verifier as a program of its own. */
export function verifyOffline(...args: string[]): Promise<{ code: number; output: string }> {
  return new Promise((resolve) =>
    execFile(process.execPath, [verifier, ...args], (error, stdout, stderr) => resolve({ code: error ? 1 : 0, output: stdout + stderr })),
  );
}

/** Has the server verify everything, as an auditor does. */
export const verified = (world: World): Promise<Spoken<Told<LedgerReport>>> => verifiedBy(world.as('auditor'));

export async function verifiedBy(auditor: Client): Promise<Spoken<Told<LedgerReport>>> {
  const response = await auditor.fetch('/api/ledger/verify', { method: 'POST', body: '{}' });
  const lines = (await response.text()).trim().split('\n');
  const last = JSON.parse(lines.at(-1)!) as VerifyLine;
  if (!('report' in last)) throw new Error('problem' in last ? last.problem.detail : 'no report');
  return last.report;
}

/** Verifies what lies in a database, without a server and without a witness. */
export async function verifiedAlone(database: string, pool: World['pool']): Promise<Spoken<Told<LedgerReport>>> {
  const { keysDir, ledgerName } = configFor(database);
  const outside = {
    keysDir,
    ledgerName,
    witnessUrl: 'http://127.0.0.1:9',
    witnessKey: '',
    timeAuthorityUrl: '',
    timeAuthorityCertificates: '',
  };
  for await (const line of verifyLedger(pool, outside)) if ('report' in line) return inEnglish(line.report);
  throw new Error('no report');
}

interface Header {
  head: {
    size: number;
    root: string;
    signedAt: string;
    keyId: string;
    signature: string;
    timeStamp: { token: string } | null;
    witness: { note: string } | null;
  };
  keys: { id: string; publicKey: string }[];
}
export interface Exported {
  header: Header;
  entries: { leaf: number; hash: string; entry: string }[];
  gaps: { from: number; to: number; hashes: string[] }[];
  lines: (Header | { leaf: number; hash: string; entry: string } | { from: number; to: number; hashes: string[] })[];
}

export async function exported(world: World, query = ''): Promise<Exported> {
  const response = await world.as('auditor').fetch(`/api/ledger/export?${query}`);
  const lines = (await response.text())
    .trim()
    .split('\n')
    .map((line) => JSON.parse(line) as Exported['lines'][number]);
  return {
    header: lines[0] as Header,
    entries: lines.filter((line) => 'entry' in line),
    gaps: lines.filter((line) => 'hashes' in line),
    lines,
  };
}

/** An export whose head is time-stamped too; the cosignature it waits for by itself, unless the machine is too busy for the witness. */
export async function exportedCosigned(world: World): Promise<Exported> {
  for (;;) {
    await world.services.sealer.sealNow();
    const file = await exported(world);
    const { witness, timeStamp } = file.header.head;
    if (witness && timeStamp) return file;
  }
}

/** Writes lines into a file of its own, and gives its path. */
export async function saved(lines: readonly unknown[], name = 'export.jsonl'): Promise<string> {
  const file = join(await mkdtemp(join(tmpdir(), 'ledger-')), name);
  await writeFile(file, lines.map((line) => (typeof line === 'string' ? line : `${JSON.stringify(line)}\n`)).join(''));
  return file;
}

/** The files that the stand-ins of a world keep. */
export const keptBy = {
  witness: (world: World): string => join(configFor(world.database).standInsDir, 'witness', 'witness.jsonl'),
  async timeOffice(world: World): Promise<string> {
    const text = await readFile(join(configFor(world.database).standInsDir, 'time-office', 'identity.json'), 'utf8');
    const { certificate } = JSON.parse(text) as { certificate: string };
    return saved([`-----BEGIN CERTIFICATE-----\n${certificate.replace(/.{64}/g, '$&\n')}\n-----END CERTIFICATE-----\n`], 'time.pem');
  },
  /** Keys that sign heads; those of contents lie beside them. */
  keys: async (world: World): Promise<string[]> =>
    (await readdir(configFor(world.database).keysDir)).filter((name) => /^[0-9a-f]{16}\.pem$/.test(name)),
};

/** What only a superuser can do. */
export const tamper = (world: World, sql: string): Promise<unknown> => pastTheGuards(world.database, (client) => client.query(sql));
