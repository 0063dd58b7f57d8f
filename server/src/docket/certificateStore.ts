import { type Db, row, run } from '../kernel/index.js';

/** What a certificate says of one record. */
export interface Evidence {
  readonly number: string;
  readonly title: string;
  readonly recordType: string;
  readonly createdOn: string;
  readonly dueOn: string | null;
  readonly rule: string | null;
  readonly authority: string | null;
  readonly disposedOn: string;
  readonly versions: readonly { readonly no: number; readonly fileName: string; readonly size: number; readonly sha256: string }[];
  /** How many keys of contents went with it; certificates from before contents were encrypted say none. */
  readonly keys?: number;
  /** Where it went, when it was transferred. */
  readonly accession?: { readonly archive: string; readonly number: string } | undefined;
  readonly physical?: { readonly container: string; readonly method: string; readonly witness: string; readonly on: string } | undefined;
}

export async function addCertificate(
  db: Db,
  c: { id: string; number: string; batchId: string; issuedOn: string; sha256: Buffer; pdf: Buffer },
): Promise<void> {
  await run(
    db,
    'certificate.add',
    'insert into certificate (id, number, batch_id, issued_on, sha256, pdf) values ($1, $2, $3, $4, $5, $6)',
    [c.id, c.number, c.batchId, c.issuedOn, c.sha256, c.pdf],
  );
}

export function certificateById(db: Db, id: string) {
  return row<{ number: string; batch_id: string; pdf: Buffer }>(
    db,
    'certificate.byId',
    'select number, batch_id, pdf from certificate where id = $1',
    [id],
  );
}

/** The certificate that a record went on. */
export function certificateOf(db: Db, recordId: string) {
  return row<{ id: string; number: string; accession: { archive: string; number: string } | null }>(
    db,
    'certificate.ofRecord',
    `select c.id, c.number, i.evidence->'accession' as accession from certificate c join batch_item i on i.batch_id = c.batch_id
     where i.record_id = $1 and i.outcome = 'disposed'`,
    [recordId],
  );
}
