import { ChangeDetectionStrategy, Component, computed, effect, inject, input, model, output, signal, untracked } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { setup, type DetectorLine, type Problem } from '@key-cellar/contract';
import { checks, compileDetector, detectorProblems, type Check, type Sign, type Span } from '@key-cellar/core/criteria';
import { Button } from 'primeng/button';
import { InputText } from 'primeng/inputtext';
import { say } from '../../words/say';
import { Api, toProblem } from '../kit/api';
import { Choice } from '../kit/choice';
import { ProblemNotice } from '../kit/notice';
import { Sheet } from '../kit/sheet';
import { TextField } from '../kit/textField';
import { NumberField } from '../kit/numberField';
import { LongTextField } from '../kit/longTextField';
import { DetectorTrial } from './detectorTrial';

type Kind = Sign['kind'];

const firstSign: Record<Kind, Sign> = {
  pattern: { kind: 'pattern', pattern: '', check: 'none', atLeast: 1 },
  words: { kind: 'words', words: [], atLeast: 1 },
  likeness: { kind: 'likeness', sample: '', percent: 50 },
};
const checkNames: Record<Check, string> = {
  none: $localize`nothing more`,
  luhn: $localize`check digit (Luhn)`,
  mod97: $localize`account number (MOD 97)`,
  mod97of10: $localize`check digits (MOD 97-10)`,
  mod11: $localize`check digit (weights, modulo 11)`,
  mod11of2: $localize`check digit (MOD 11-2)`,
  mod11of10: $localize`check digit (MOD 11,10)`,
  verhoeff: $localize`check digit (Verhoeff)`,
};

/** Makes or changes a detector, and tries it on a text while it is being put together. */
@Component({
  selector: 'kc-detector-sheet',
  imports: [LongTextField, NumberField, TextField, Button, Choice, DetectorTrial, FormsModule, InputText, ProblemNotice, Sheet],
  templateUrl: './detectorSheet.html',
  styleUrl: './detectorSheet.css',
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class DetectorSheet {
  protected readonly labels = {
    changing: (title: string) => $localize`Change ${title}:what:`,
    new: $localize`New detector`,
    takeUpAgain: $localize`Reinstate`,
    change: $localize`Change it`,
    make: $localize`Create`,
  };
  private readonly api = inject(Api);
  readonly open = model.required<boolean>();
  /** Null: a new one. */
  readonly detector = input<DetectorLine | null>(null);
  readonly kept = output();

  protected readonly title = signal('');
  protected readonly note = signal('');
  protected readonly signs = signal<readonly Sign[]>([]);
  protected readonly text = signal('');
  protected readonly busy = signal(false);
  protected readonly problem = signal<Problem | null>(null);
  protected readonly kinds: readonly { value: Kind; name: string }[] = [
    { value: 'pattern', name: $localize`a pattern` },
    { value: 'words', name: $localize`words` },
    { value: 'likeness', name: $localize`likeness to a sample` },
  ];
  protected readonly checks = checks.map((value) => ({ value, name: checkNames[value] }));

  protected readonly wrong = computed(() => {
    const wrong = new Map<number, string>();
    for (const { sign, sentence } of detectorProblems(this.signs())) wrong.set(sign, say(sentence));
    return wrong;
  });
  private readonly look = computed(() => (this.wrong().size === 0 ? compileDetector(this.signs()) : null));
  protected readonly found = computed(() => (this.text().trim() === '' ? null : (this.look()?.(this.text()) ?? null)));
  /** The text in pieces, those that were found marked. */
  protected readonly pieces = computed(() => {
    const found = this.found();
    return found
      ? marked(
          this.text(),
          found.signs.flatMap((s) => s.spans),
        )
      : [];
  });

  constructor() {
    effect(() => {
      if (!this.open()) return;
      const detector = this.detector();
      untracked(() => {
        this.title.set(detector?.title ?? '');
        this.note.set(detector?.note ?? '');
        this.signs.set(detector?.signs ?? [firstSign.pattern]);
        this.problem.set(null);
      });
    });
  }

  protected change(index: number, changes: Partial<Sign>): void {
    this.signs.update((signs) => signs.map((s, i) => (i === index ? ({ ...s, ...changes } as Sign) : s)));
  }

  protected setKind(index: number, kind: Kind): void {
    this.signs.update((signs) => signs.with(index, firstSign[kind]));
  }

  protected setWords(index: number, text: string): void {
    this.change(index, {
      words: text
        .split('\n')
        .map((w) => w.trim())
        .filter((w) => w !== ''),
    });
  }

  protected add(): void {
    this.signs.update((signs) => [...signs, firstSign.words]);
  }

  protected remove(index: number): void {
    this.signs.update((signs) => signs.filter((_, i) => i !== index));
  }

  protected keep(retired: boolean): void {
    const detector = this.detector();
    const body = { title: this.title().trim(), note: this.note(), signs: this.signs() as DetectorLine['signs'] };
    this.busy.set(true);
    this.problem.set(null);
    const done = {
      next: () => {
        this.busy.set(false);
        this.open.set(false);
        this.kept.emit();
      },
      error: (error: unknown) => {
        this.busy.set(false);
        this.problem.set(toProblem(error));
      },
    };
    if (!detector) this.api.call(setup.makeDetector, { body }).subscribe(done);
    else {
      const { id, revision } = detector;
      this.api.call(setup.changeDetector, { params: { id }, body: { ...body, revision, retired } }).subscribe(done);
    }
  }
}

/** Cuts a text at spans, which may lie over one another. */
function marked(text: string, spans: readonly Span[]): { text: string; found: boolean }[] {
  const pieces: { text: string; found: boolean }[] = [];
  let at = 0;
  for (const { from, until } of [...spans].sort((a, b) => a.from - b.from)) {
    if (until <= at) continue;
    if (from > at) pieces.push({ text: text.slice(at, from), found: false });
    pieces.push({ text: text.slice(Math.max(at, from), until), found: true });
    at = until;
  }
  if (at < text.length) pieces.push({ text: text.slice(at), found: false });
  return pieces;
}
