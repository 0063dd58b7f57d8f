import { ChangeDetectionStrategy, Component, computed, effect, inject, input, signal } from '@angular/core';
import { receiving, records, type Problem, type ResponseOf } from '@key-cellar/contract';
import { readAs } from '@key-cellar/core/records';
import type { Subscription } from 'rxjs';
import { Api, toProblem } from '../kit/api';
import { ProblemNotice } from '../kit/notice';

/** What is shown: where it is, and what is known of it beforehand. */
export interface Shown {
  readonly kind: 'record' | 'arrival';
  readonly id: string;
  /** Of a record: which of its versions. */
  readonly version?: number;
  readonly fileName: string;
  readonly mediaType: string;
  readonly size: number;
  /** Whether text is shown as text; else, as for those who may not take a copy, as pictures of it. */
  readonly asText: boolean;
}

const longestText = 2_000_000;
const mostPages = 200;

/**
 * The content of one version on screen, without the file itself: its pages as pictures, drawn when they are scrolled to,
 * or its text for those who may take a copy; other types say so.
 */
@Component({
  selector: 'kc-preview',
  imports: [ProblemNotice],
  template: `
    <kc-problem [problem]="problem()" />
    @switch (shownAs()) {
      @case ('pages') {
        @if (extent(); as e) {
          @for (no of numbers(); track no) {
            <img
              [src]="address('pages/' + no)"
              [alt]="e.pages === 1 ? of().fileName : labels.page(no, e.pages, of().fileName)"
              [style.aspect-ratio]="e.width + ' / ' + e.height"
              [style.max-width.px]="e.width < 720 && e.pages === 1 ? e.width : null"
              loading="lazy"
              draggable="false"
              (error)="broken(no)"
            />
          }
        }
      }
      @case ('text') {
        @if (text() !== null) {
          <pre tabindex="0" aria-label="Text of the content" i18n-aria-label>{{ text() }}</pre>
        }
      }
      @case ('nothing') {
        <div class="other">
          <p i18n><b>No preview for this type.</b> {{ of().mediaType }} is not shown here; ask someone with copy rights.</p>
        </div>
      }
    }
    @if (note()) {
      <p class="quiet small">{{ note() }}</p>
    }
  `,
  styles: `
    :host {
      display: block;
      background: color-mix(in srgb, var(--ground) 70%, var(--line));
      border: 1px solid var(--line);
      padding: 14px;
      min-height: 420px;
      overflow: auto;
    }
    img {
      width: 100%;
      max-width: 720px;
      height: auto;
      display: block;
      margin: 0 auto 12px;
      background: #fff;
      border: 1px solid var(--line);
    }
    pre {
      margin: 0 auto;
      max-width: 76ch;
      background: #fff;
      color: #14201b;
      padding: 24px 28px;
      white-space: pre-wrap;
      overflow-wrap: anywhere;
      font: 13.5px/1.5 var(--mono);
      border: 1px solid var(--line);
    }
    .other {
      display: grid;
      place-items: center;
      min-height: 300px;
      text-align: center;
    }
    .quiet {
      margin-top: 8px;
      text-align: center;
    }
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class Preview {
  protected readonly labels = {
    page: (no: number, of: number, fileName: string) => $localize`Page ${no}:page: of ${of}:pages: of ${fileName}:file:`,
  };
  private readonly api = inject(Api);
  /** A version of a record, or something that arrived. */
  readonly of = input.required<Shown>();
  protected readonly shownAs = computed(() => {
    const as = readAs(this.of().mediaType);
    return as === 'text' && !this.of().asText ? 'pages' : as;
  });
  protected readonly extent = signal<ResponseOf<typeof records.pages> | null>(null);
  protected readonly numbers = computed(() => Array.from({ length: Math.min(this.extent()?.pages ?? 0, mostPages) }, (_, i) => i + 1));
  protected readonly text = signal<string | null>(null);
  protected readonly note = signal('');
  protected readonly problem = signal<Problem | null>(null);

  constructor() {
    effect((onCleanup) => {
      const { kind, id, version, size } = this.of();
      this.extent.set(null);
      this.text.set(null);
      this.note.set('');
      this.problem.set(null);
      const failed = (error: unknown): void => this.problem.set(toProblem(error));
      let asked: Subscription | undefined;
      switch (this.shownAs()) {
        case 'pages':
          asked = (
            kind === 'record'
              ? this.api.call(records.pages, { params: { id }, query: { version } })
              : this.api.call(receiving.pages, { params: { id } })
          ).subscribe({
            next: (extent) => {
              this.extent.set(extent);
              if (extent.pages > mostPages) this.note.set($localize`Pages 1 to ${mostPages}:shown: of ${extent.pages}:all:.`);
            },
            error: failed,
          });
          break;
        case 'text':
          if (size > longestText) this.note.set($localize`This text is too long to show here.`);
          else asked = this.api.text(this.address('preview')).subscribe({ next: (text) => this.text.set(text), error: failed });
          break;
        case 'nothing':
          break;
      }
      onCleanup(() => asked?.unsubscribe());
    });
  }

  protected address(what: string): string {
    const { kind, id, version } = this.of();
    return kind === 'record' ? `/api/records/${id}/${what}?version=${version}` : `/api/arrivals/${id}/${what}`;
  }

  protected broken(no: number): void {
    this.note.set($localize`Page ${no}:no: could not be shown. It may be damaged; ask someone with copy rights.`);
  }
}
