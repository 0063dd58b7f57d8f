import type { TreeHead } from '@key-cellar/contract';
import { document, type Sheet } from '../print/index.js';
import type { Evidence } from './certificateStore.js';
import type { Receipt } from './receipt.js';

export interface CertificateContent {
  readonly repository: string;
  readonly number: string;
  readonly batch: string;
  readonly action: 'destroy' | 'transfer';
  /** The archive's receipt, for a transfer. */
  readonly receipt: Receipt | null;
  readonly what: string;
  readonly issuedOn: string;
  readonly proposedBy: string;
  readonly approvals: readonly { readonly name: string; readonly on: string }[];
  readonly records: readonly Evidence[];
  /** The newest tree head that the witness cosigned: what was entered by then cannot be changed without contradicting it. */
  readonly head: TreeHead | null;
  /** The last day on which a backup of keys may still be there, ISO 8601. */
  readonly keyBackupsUntil: string;
  readonly kept: readonly { readonly name: string; readonly reason: string }[];
}

const actionWords = {
  destroy: { heading: 'Certificate of destruction', done: 'destroyed', Done: 'Destroyed', not: 'Not destroyed' },
  transfer: { heading: 'Certificate of transfer', done: 'transferred', Done: 'Transferred', not: 'Not transferred' },
} as const;

/** The certificate of destruction, or of transfer, as a PDF: what, when, by whom, on what authority, with every fingerprint. */
export async function certificatePdf(content: CertificateContent, fontsDir: string): Promise<Buffer> {
  const words = actionWords[content.action];
  const about = { title: `${words.heading} ${content.number}`, author: content.repository, foot: content.number, fontsDir };
  return document(about, (sheet) => compose(sheet, content, words));
}

function compose(
  { write, rule, space }: Sheet,
  content: CertificateContent,
  words: (typeof actionWords)[CertificateContent['action']],
): void {
  write(content.repository, { size: 10, soft: true });
  write(`${words.heading} ${content.number}`, { bold: true, size: 20, gap: 8 });
  write(
    `${content.records.length} ${content.records.length === 1 ? 'record' : 'records'} of batch ${content.batch} (${content.what}) ${
      content.records.length === 1 ? 'was' : 'were'
    } ${words.done}. This certificate was issued on ${content.issuedOn}.`,
    { size: 11, gap: 5 },
  );
  write(`Proposed by ${content.proposedBy}.`);
  for (const approval of content.approvals) write(`Approved by ${approval.name} on ${approval.on}.`);
  if (content.receipt) {
    const { archive, accession, receivedOn, bagSha256, files, payloadOxum } = content.receipt;
    write(`${archive} received them on ${receivedOn} under accession ${accession}.`);
    write(`Bag of ${files} files, Payload-Oxum ${payloadOxum}, SHA-256 ${bagSha256}`, { size: 8, soft: true });
  }
  rule();
  for (const record of content.records) {
    write(`${record.number}  ${record.title}`, { bold: true, size: 10 });
    write(
      `${record.recordType}, dated ${record.createdOn}. ${record.rule ? `Due ${record.dueOn} under ${record.rule}, ${record.authority}.` : `Due ${record.dueOn} by override.`} ${words.Done} ${record.disposedOn}.`,
      { size: 9, soft: true },
    );
    for (const version of record.versions) {
      write(`Version ${version.no}, ${version.fileName}, ${version.size} bytes`, { size: 8, soft: true, indent: 12, gap: 2 });
      write(`SHA-256 ${version.sha256}`, { size: 8, soft: true, indent: 12 });
    }
    if (record.physical) {
      write(
        `On paper, from ${record.physical.container}: ${record.physical.method} on ${record.physical.on}, witnessed by ${record.physical.witness}.`,
        { size: 8, soft: true, indent: 12 },
      );
    }
    space(4);
  }
  const keys = content.records.reduce((sum, record) => sum + (record.keys ?? 0), 0);
  if (keys > 0) {
    rule();
    write(
      `${keys === 1 ? 'The content was encrypted, and its key is' : `${keys} contents were encrypted, each under a key of its own, and these keys are`} destroyed. ` +
        `Backups of keys are kept until ${content.keyBackupsUntil}; from then on no backup of any kind can bring ${keys === 1 ? 'it' : 'them'} back.`,
      { size: 9 },
    );
  }
  if (content.head) {
    const { size, root, signedAt, witness } = content.head;
    rule();
    write(`The ledger at issue: ${size} entries, head signed ${signedAt}, cosigned by ${witness!.name} ${witness!.at}.`, {
      size: 8,
      soft: true,
      gap: 2,
    });
    write(`Root ${root}`, { size: 8, soft: true });
  }
  if (content.kept.length > 0) {
    rule();
    write(words.not, { bold: true, size: 12, gap: 6 });
    for (const kept of content.kept) write(`${kept.name}: ${kept.reason}`, { size: 9 });
  }
}
