import * as z from 'zod';

export const receiptSchema = z.object({
  archive: z.string().min(1).max(200),
  accession: z.string().min(1).max(100),
  receivedOn: z.iso.date(),
  bag: z.string(),
  bagSha256: z.string().regex(/^[0-9a-f]{64}$/),
  payloadOxum: z.string(),
  files: z.number().int(),
});
/** An accession receipt, as the archive answered it. */
export type Receipt = z.infer<typeof receiptSchema>;
