import type { TreeHead } from '@key-cellar/contract';
import { message, type Message, type Value } from '@key-cellar/words';
import type { Speaker } from '@key-cellar/words/speaker';
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
  readonly kept: readonly { readonly name: string; readonly reason: Message }[];
}

/** The certificate of destruction, or of transfer, as a PDF in one language: what, when, by whom, on what authority, with every fingerprint. */
export async function certificatePdf(content: CertificateContent, speaker: Speaker, fontsDir: string): Promise<Buffer> {
  const title = speaker.say(message('docket.certificate.title', { action: content.action, number: content.number }));
  const about = { title, author: content.repository, foot: content.number, fontsDir, speaker };
  return document(about, (sheet) => compose(sheet, content, title, speaker));
}

function compose({ write: put, rule, space }: Sheet, content: CertificateContent, title: string, { say }: Speaker): void {
  const write = (what: Message, how?: Parameters<Sheet['write']>[1]): void => put(say(what), how);
  const { action } = content;
  put(content.repository, { size: 10, soft: true });
  put(title, { bold: true, size: 20, gap: 8 });
  write(
    message('docket.certificate.summary', {
      n: content.records.length,
      batch: content.batch,
      what: content.what,
      action,
      on: { day: content.issuedOn },
    }),
    { size: 11, gap: 5 },
  );
  write(message('docket.certificate.proposed', { name: content.proposedBy }));
  for (const { name, on } of content.approvals) write(message('docket.certificate.approved', { name, on: { day: on } }));
  if (content.receipt) {
    const { archive, accession, receivedOn, bagSha256, files, payloadOxum } = content.receipt;
    write(message('docket.certificate.received', { archive, on: { day: receivedOn }, accession }));
    const bag = { n: files ?? 0, oxum: payloadOxum ?? '', sha256: bagSha256 };
    write(message('docket.certificate.bag', bag), { size: 8, soft: true });
  }
  rule();
  for (const record of content.records) {
    put(`${record.number}  ${record.title}`, { bold: true, size: 10 });
    const due: Value = record.dueOn === null ? '' : { day: record.dueOn };
    write(
      message('docket.certificate.record', {
        type: record.recordType,
        dated: { day: record.createdOn },
        due: record.rule
          ? message('docket.certificate.dueUnder', { on: due, rule: record.rule, authority: record.authority ?? '' })
          : message('docket.certificate.dueByOverride', { on: due }),
        action,
        on: { day: record.disposedOn },
      }),
      { size: 9, soft: true },
    );
    for (const { no, fileName, size, sha256 } of record.versions) {
      write(message('docket.certificate.version', { no: String(no), file: fileName, size }), { size: 8, soft: true, indent: 12, gap: 2 });
      put(`SHA-256 ${sha256}`, { size: 8, soft: true, indent: 12 });
    }
    if (record.physical) {
      const { container, method, on, witness } = record.physical;
      write(message('docket.certificate.physical', { container, method, on: { day: on }, witness }), { size: 8, soft: true, indent: 12 });
    }
    space(4);
  }
  const keys = content.records.reduce((sum, record) => sum + (record.keys ?? 0), 0);
  if (keys > 0) {
    rule();
    write(message('docket.certificate.keys', { n: keys, until: { day: content.keyBackupsUntil } }), { size: 9 });
  }
  if (content.head) {
    const { size, root, signedAt, witness } = content.head;
    rule();
    write(message('docket.certificate.ledger', { n: size, signed: signedAt, witness: witness!.name, cosigned: witness!.at }), {
      size: 8,
      soft: true,
      gap: 2,
    });
    write(message('docket.certificate.root', { root }), { size: 8, soft: true });
  }
  if (content.kept.length > 0) {
    rule();
    write(message('docket.certificate.kept', { action }), { bold: true, size: 12, gap: 6 });
    for (const { name, reason } of content.kept) write(message('docket.certificate.keptRecord', { name, reason }), { size: 9 });
  }
}
