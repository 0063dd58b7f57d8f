import { ChangeDetectionStrategy, Component, effect, inject, input, output, signal } from '@angular/core';
import { schedule } from '@key-cellar/contract';
import { Api } from './api';

interface Progress {
  readonly state: 'running' | 'done' | 'cancelled' | 'failed';
  readonly done: number;
  readonly total: number;
  readonly sentence: string;
}

/** Long work as it goes on: progress from the server, a way to cancel, and what came of it. It goes on when one leaves. */
@Component({
  selector: 'kc-job-progress',
  template: `
    @if (progress(); as p) {
      <div class="job panel" role="status">
        @if (p.state === 'running') {
          <progress [value]="p.done" [max]="p.total || 1" aria-label="Progress" i18n-aria-label></progress>
          <span i18n>{{ p.done }} of {{ p.total }}</span>
          <button type="button" (click)="cancel()" i18n>Cancel</button>
        } @else {
          <span [class.madder]="p.state === 'failed'">{{ p.sentence }}</span>
        }
      </div>
    }
  `,
  styles: `
    .job {
      display: flex;
      align-items: center;
      gap: 12px;
      padding: 8px 14px;
      margin-bottom: 12px;
    }
    progress {
      flex: 1;
      max-width: 420px;
      accent-color: var(--bottle);
    }
    button {
      border: 0;
      background: none;
      text-decoration: underline;
      cursor: pointer;
    }
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class JobProgress {
  private readonly api = inject(Api);
  readonly jobId = input.required<string>();
  readonly ended = output();
  protected readonly progress = signal<Progress | null>(null);

  constructor() {
    effect((onCleanup) => {
      const source = new EventSource(`/api/jobs/${this.jobId()}/events`);
      source.onmessage = (event: MessageEvent<string>) => {
        const progress = JSON.parse(event.data) as Progress;
        this.progress.set(progress);
        if (progress.state !== 'running') {
          source.close();
          this.ended.emit();
        }
      };
      onCleanup(() => source.close());
    });
  }

  protected cancel(): void {
    this.api.call(schedule.cancelJob, { params: { id: this.jobId() } }).subscribe();
  }
}
