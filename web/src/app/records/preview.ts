import { ChangeDetectionStrategy, Component, computed, effect, type ElementRef, inject, input, signal, viewChild } from '@angular/core';
import type { Problem, VersionLine } from '@key-cellar/contract';
import { firstValueFrom } from 'rxjs';
import { Api, toProblem } from '../kit/api';
import { ProblemNotice } from '../kit/notice';

type Kind = 'pdf' | 'image' | 'text' | 'other';
const images = ['image/png', 'image/jpeg', 'image/gif', 'image/webp', 'image/svg+xml', 'image/avif'];
const longestText = 2_000_000;
const mostPages = 30;

function kindOf(mediaType: string): Kind {
  if (mediaType === 'application/pdf') return 'pdf';
  if (images.includes(mediaType)) return 'image';
  if (mediaType.startsWith('text/') || ['application/json', 'application/xml', 'message/rfc822'].includes(mediaType)) return 'text';
  return 'other';
}

/** The content of one version on screen, without downloading: pages, a picture, or its text; other types say so. */
@Component({
  selector: 'kc-preview',
  imports: [ProblemNotice],
  template: `
    <kc-problem [problem]="problem()" />
    @switch (kind()) {
      @case ('image') {
        <img [src]="url()" [alt]="'Content: ' + version().fileName" />
      }
      @case ('text') {
        @if (text() !== null) {
          <pre tabindex="0" aria-label="Text of the content" i18n-aria-label>{{ text() }}</pre>
        }
      }
      @case ('other') {
        <div class="other">
          <p i18n><b>No preview for this type.</b> {{ version().mediaType }} can be taken as a copy by whoever may.</p>
        </div>
      }
    }
    <div
      #pages
      class="pages"
      [hidden]="kind() !== 'pdf'"
      [attr.aria-label]="kind() === 'pdf' ? 'Pages of ' + version().fileName : null"
      [attr.role]="kind() === 'pdf' ? 'img' : null"
    ></div>
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
    .pages {
      display: grid;
      gap: 12px;
      justify-items: center;
    }
    .pages[hidden] {
      display: none;
    }
    img {
      max-width: 100%;
      display: block;
      margin: 0 auto;
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
  private readonly api = inject(Api);
  readonly recordId = input.required<string>();
  readonly version = input.required<VersionLine>();
  private readonly pages = viewChild.required<ElementRef<HTMLElement>>('pages');
  protected readonly kind = computed(() => kindOf(this.version().mediaType));
  protected readonly url = computed(() => `/api/records/${this.recordId()}/preview?version=${this.version().no}`);
  protected readonly text = signal<string | null>(null);
  protected readonly note = signal('');
  protected readonly problem = signal<Problem | null>(null);

  constructor() {
    effect((onCleanup) => {
      const url = this.url();
      const kind = this.kind();
      const { size } = this.version();
      let current = true;
      onCleanup(() => (current = false));
      this.text.set(null);
      this.note.set('');
      this.problem.set(null);
      this.pages().nativeElement.replaceChildren();
      const failed = (error: unknown): void => {
        if (current) this.problem.set(toProblem(error));
      };
      if (kind === 'text' && size > longestText) this.note.set($localize`This text is too long to show here.`);
      else if (kind === 'text') this.showText(url, () => current).catch(failed);
      else if (kind === 'pdf') this.showPages(url, () => current).catch(failed);
    });
  }

  private async showText(url: string, current: () => boolean): Promise<void> {
    const text = await firstValueFrom(this.api.text(url));
    if (current()) this.text.set(text);
  }

  private async showPages(url: string, current: () => boolean): Promise<void> {
    const [pdfjs, response] = await Promise.all([import('pdfjs-dist'), firstValueFrom(this.api.bytes(url))]);
    pdfjs.GlobalWorkerOptions.workerSrc = '/pdf/pdf.worker.min.mjs';
    const document_ = await pdfjs.getDocument({ data: response.body!, isEvalSupported: false }).promise;
    const shown = Math.min(document_.numPages, mostPages);
    for (let no = 1; no <= shown && current(); no++) {
      const page = await document_.getPage(no);
      const width = Math.min(this.pages().nativeElement.clientWidth - 8, 720);
      const scale = width / page.getViewport({ scale: 1 }).width;
      const viewport = page.getViewport({ scale: scale * devicePixelRatio });
      const canvas = document.createElement('canvas');
      canvas.width = viewport.width;
      canvas.height = viewport.height;
      canvas.style.width = `${width}px`;
      canvas.style.background = '#fff';
      await page.render({ canvas, viewport }).promise;
      if (current()) this.pages().nativeElement.append(canvas);
    }
    if (current() && document_.numPages > shown) this.note.set($localize`Pages 1 to ${shown}:shown: of ${document_.numPages}:all:.`);
    await document_.loadingTask.destroy();
  }
}
