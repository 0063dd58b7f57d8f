import { message, type Message } from '@key-cellar/words';
import { nearest } from './nearest.js';
import { tokensOf, type Token } from './tokens.js';
import { fold, namePhrases, type Named, type Phrases } from './vocabulary.js';

/** What is wrong with criteria text, where (UTF-16 units), and what may have been meant. */
export interface CriteriaError {
  readonly from: number;
  readonly until: number;
  readonly sentence: Message;
  readonly suggestions: readonly string[];
}

/** What the grammar would take at a place in the text. */
export interface Expected {
  readonly at: number;
  readonly options: readonly string[];
}

export class Wrong extends Error {
  constructor(readonly error: CriteriaError) {
    super(error.sentence.say);
  }
}

/** Walks over the words of one text; keeps what would have been taken at each place, for completion. */
export class Cursor {
  readonly expected: Expected[] = [];
  protected readonly tokens: readonly Token[];
  protected at = 0;

  constructor(private readonly text: string) {
    const { tokens, unclosed } = tokensOf(text);
    this.tokens = tokens;
    if (unclosed !== null) this.failAt(unclosed, text.length, message('criteria.quotationNotClosed'));
  }

  protected number(): number {
    const token = this.tokens[this.at];
    if (!token || !/^-?\d+(\.\d+)?(e[+-]?\d+)?$/.test(token.text)) this.fail(message('criteria.comesNumber'));
    this.at++;
    return Number(token.text);
  }

  /** A text up to the next “and”, “or”, comma or bracket, or one in quotation marks. */
  protected value(what: Message): string {
    const first = this.tokens[this.at];
    if (first?.kind === 'quoted') {
      this.at++;
      return first.text;
    }
    const from = this.at;
    while (this.tokens[this.at]?.kind === 'word' && !['and', 'or'].includes(this.tokens[this.at]!.text.toLowerCase())) this.at++;
    if (this.at === from) this.fail(message('criteria.comes', { what }));
    return this.text.slice(first!.from, this.tokens[this.at - 1]!.until);
  }

  protected name(names: readonly Named[], what: Message): Named {
    const known = namePhrases(names);
    this.expect(names.map((n) => n.name));
    const found = this.phrase(known);
    if (!found) this.failUnknown(what, known.names);
    return found;
  }

  /** The longest of the phrases that the text goes on with. */
  protected phrase<T>({ byForm, longest }: Phrases<T>): T | undefined {
    const first = this.tokens[this.at];
    if (first?.kind === 'quoted') {
      const found = byForm.get(fold(first.text));
      if (found !== undefined) this.at++;
      return found;
    }
    let form = '';
    let best: { value: T; at: number } | undefined;
    for (let i = this.at; this.tokens[i]?.kind === 'word' && form.split(' ').length <= longest; i++) {
      form = `${form} ${fold(this.tokens[i]!.text)}`.trim();
      const value = byForm.get(form);
      if (value !== undefined) best = { value, at: i + 1 };
    }
    if (best) this.at = best.at;
    return best?.value;
  }

  /** Whether the text goes on with a word, which is taken then. `offered` is what completion says of it; nothing for another way to say something. */
  protected isWord(word: string, offered = word): boolean {
    if (offered !== '') this.expect([offered]);
    const token = this.tokens[this.at];
    if (token?.kind !== 'word' || token.text.toLowerCase() !== word) return false;
    this.at++;
    return true;
  }

  protected need(word: string): void {
    if (!this.isWord(word)) this.fail(message('criteria.comesWord', { word }), [word]);
  }

  protected expect(options: readonly string[]): void {
    const at = this.tokens[this.at]?.from ?? this.text.length;
    this.expected.push({ at, options });
  }

  protected failUnknown(what: Message, names: readonly string[]): never {
    const token = this.tokens[this.at];
    if (!token) this.fail(message('criteria.comes', { what }));
    let end = this.at;
    while (this.tokens[end]?.kind === 'word' && !['and', 'or', 'is'].includes(this.tokens[end]!.text.toLowerCase())) end++;
    // Names have several words, mistakes mostly one: only what resembles a name as a whole is taken as a whole.
    const last = this.tokens[Math.max(end, this.at + 1) - 1]!.until;
    const read = (until: number): string => (token.kind === 'quoted' ? token.text : this.text.slice(token.from, until));
    const whole = nearest(read(last), names, fold);
    const until = whole.length > 0 ? last : token.until;
    const suggestions = whole.length > 0 ? whole : nearest(read(until), names, fold);
    this.failAt(token.from, until, message('criteria.notKnown', { read: read(until), what }), suggestions);
  }

  protected fail(sentence: Message, suggestions: readonly string[] = []): never {
    const token = this.tokens[this.at];
    this.failAt(token?.from ?? this.text.length, token?.until ?? this.text.length, sentence, suggestions);
  }

  protected failAt(from: number, until: number, sentence: Message, suggestions: readonly string[] = []): never {
    throw new Wrong({ from, until, sentence, suggestions });
  }
}
