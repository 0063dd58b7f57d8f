import { PDFDocument, StandardFonts } from '@cantoo/pdf-lib';

/** A document whose pages say which one they are. */
export async function pdfOf(pages: number, given: { width?: number; height?: number } = {}): Promise<Uint8Array> {
  const pdf = await PDFDocument.create();
  const font = await pdf.embedFont(StandardFonts.Helvetica);
  for (let i = 1; i <= pages; i++) {
    const page = pdf.addPage([given.width ?? 300, given.height ?? 400]);
    page.drawText(`Page ${i}`, { x: 40, y: 200, size: 60, font });
  }
  return pdf.save();
}
