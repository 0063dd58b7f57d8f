/** A piece of criteria text with its place, in UTF-16 units from the start. */
export interface Token {
  readonly kind: 'word' | 'quoted' | '(' | ')' | ',';
  readonly text: string;
  readonly from: number;
  readonly until: number;
}

const closing: Readonly<Record<string, string>> = { '“': '”', '"': '"' };

/** Cuts text into words, quoted texts (“so” or "so"; a doubled closing mark stands for itself), brackets and commas. */
export function tokensOf(text: string): { readonly tokens: readonly Token[]; readonly unclosed: number | null } {
  const tokens: Token[] = [];
  let at = 0;
  while (at < text.length) {
    const c = text[at]!;
    if (/\s/.test(c)) {
      at++;
    } else if (c === '(' || c === ')' || c === ',') {
      tokens.push({ kind: c, text: c, from: at, until: ++at });
    } else if (closing[c] !== undefined) {
      const end = closing[c];
      const from = at;
      let content = '';
      for (at++; ; at++) {
        if (at >= text.length) return { tokens, unclosed: from };
        if (text[at] !== end) content += text[at];
        else if (text[at + 1] === end) content += text[at++];
        else break;
      }
      tokens.push({ kind: 'quoted', text: content, from, until: ++at });
    } else {
      const from = at;
      while (at < text.length && !/[\s(),“"]/.test(text[at]!)) at++;
      tokens.push({ kind: 'word', text: text.slice(from, at), from, until: at });
    }
  }
  return { tokens, unclosed: null };
}

/** Writes a text so that {@link tokensOf} reads it back as one. */
export function quoted(text: string): string {
  return `“${text.replaceAll('”', '””')}”`;
}
