import { ChangeDetectionStrategy, Component, computed, inject, input, output, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { plan, schedule, setup, type Endpoint, type EventLine, type Problem } from '@key-cellar/contract';
import { Button } from 'primeng/button';
import type { Observable } from 'rxjs';
import { Session } from '../identity/index';
import { DateField } from '../kit/dateField';
import { Api, toProblem } from '../kit/api';
import { loaded } from '../kit/loaded';
import { ProblemNotice } from '../kit/notice';
import { Sheet } from '../kit/sheet';
import { DayPipe } from '../kit/words';
import { TextField } from '../kit/textField';
import { LongTextField } from '../kit/longTextField';
import { EventTypeField } from './eventTypeField';

const endpoints = {
  place: { list: schedule.placeEvents, add: plan.recordEvent },
  record: { list: schedule.recordEvents, add: schedule.addRecordEvent },
  entity: { list: setup.entity, add: setup.addEntityEvent },
} as const;

/** What happened to a place, a record, or a party or business object: recorded, corrected, taken back. What was wrong stays to be read. */
@Component({
  selector: 'kc-event-list',
  imports: [LongTextField, TextField, DateField, Button, DayPipe, EventTypeField, FormsModule, ProblemNotice, Sheet],
  template: `
    <kc-problem [problem]="page.problem()" />
    <ul>
      @for (event of shown(); track event.id) {
        <li [class.gone]="event.withdrawn">
          <span
            ><b>{{ event.type }}</b
            >&ngsp;<span class="quiet small">{{ event.on | day }} · {{ event.by }}</span></span
          >
          @if (event.withdrawn; as w) {
            <span class="small quiet" i18n>withdrawn by {{ w.by }}: {{ w.reason }}</span>
          } @else if (mayRecord()) {
            <button type="button" (click)="begin(event)" ariaLabel="Correct {{ event.type }} of {{ event.on | day }}" i18n-ariaLabel i18n>
              correct
            </button>
          }
          @if (event.note) {
            <span class="small note">{{ event.note }}</span>
          }
        </li>
      } @empty {
        <li class="quiet" i18n>Nothing was recorded here.</li>
      }
      @if (hidden() > 0) {
        <li>
          <button type="button" (click)="all.set(true)" i18n>and {{ hidden() }} more</button>
        </li>
      }
    </ul>
    @if (mayRecord() && button()) {
      <p-button size="small" severity="secondary" [outlined]="true" label="Record an event" i18n-label (onClick)="begin(null)" />
    }
    <kc-sheet [(open)]="open" [heading]="correcting() ? labels.correctEvent : labels.recordEvent">
      <form class="form" (ngSubmit)="save(true)">
        <p i18n>Clocks that wait for this event start from that day. Due dates of everything it concerns are recalculated.</p>
        @if (open()) {
          <kc-event-type-field field="event-type" label="What happened" i18n-label [value]="type()" (valueChange)="type.set($event)" />
        }
        <kc-date-field
          field="event-on"
          label="On"
          i18n-label
          hint="It may lie in the future: clocks count from that day."
          i18n-hint
          [needed]="true"
          [value]="on()"
          (valueChange)="on.set($event)"
        />
        <kc-text-field field="event-note" label="Note" i18n-label [value]="note()" (valueChange)="note.set($event)" />
        @if (correcting()) {
          <kc-long-text-field
            field="event-reason"
            label="Why it was wrong"
            i18n-label
            [rows]="2"
            [needed]="true"
            [value]="reason()"
            (valueChange)="reason.set($event)"
          />
        }
        <kc-problem [problem]="problem()" />
        <div class="acts">
          <p-button
            type="submit"
            [disabled]="busy() || !type().trim() || !on() || (!!correcting() && reason().trim().length < 3)"
            [label]="correcting() ? labels.correct : labels.record"
          />
          @if (correcting()) {
            <p-button
              severity="secondary"
              [outlined]="true"
              [disabled]="busy() || reason().trim().length < 3"
              label="It never happened: withdraw it"
              i18n-label
              (onClick)="save(false)"
            />
          }
        </div>
      </form>
    </kc-sheet>
  `,
  styles: `
    :host {
      display: grid;
      gap: 8px;
      justify-items: start;
    }
    ul {
      justify-self: stretch;
    }
    li {
      display: flex;
      flex-wrap: wrap;
      align-items: baseline;
      justify-content: space-between;
      gap: 0 10px;
      border-top: 1px solid var(--line-soft);
      padding: 3px 0;
    }
    li:first-child {
      border-top: 0;
    }
    .gone b {
      text-decoration: line-through;
      font-weight: 400;
    }
    .note {
      flex-basis: 100%;
    }
    li button {
      border: 0;
      background: none;
      padding: 0;
      color: var(--ink-2);
      text-decoration: underline;
      cursor: pointer;
    }
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class EventList {
  protected readonly labels = {
    correctEvent: $localize`Correct an event`,
    recordEvent: $localize`Record an event`,
    correct: $localize`Correct it`,
    record: $localize`Record the event`,
  };
  private readonly api = inject(Api);
  protected readonly session = inject(Session);
  readonly kind = input.required<'place' | 'record' | 'entity'>();
  readonly id = input.required<string>();
  /** False where something else on the page begins it. */
  readonly button = input(true);
  readonly mayRecord = input(false);
  readonly changed = output();

  protected readonly open = signal(false);
  protected readonly page = loaded<{ events: readonly EventLine[] }>(() =>
    this.api.call(endpoints[this.kind()].list, { params: { id: this.id() } }),
  );
  protected readonly all = signal(false);
  private readonly events = computed(() => this.page.value()?.events ?? []);
  protected readonly shown = computed(() => (this.all() ? this.events() : this.events().slice(0, 5)));
  protected readonly hidden = computed(() => this.events().length - this.shown().length);
  protected readonly correcting = signal<EventLine | null>(null);
  protected readonly type = signal('');
  protected readonly on = signal('');
  protected readonly note = signal('');
  protected readonly reason = signal('');
  protected readonly busy = signal(false);
  protected readonly problem = signal<Problem | null>(null);

  /** Opens the sheet: to record another event, or to correct one. */
  begin(event: EventLine | null): void {
    this.correcting.set(event);
    this.type.set(event?.type ?? '');
    this.on.set(event?.on ?? this.session.today());
    this.note.set(event?.note ?? '');
    this.reason.set('');
    this.problem.set(null);
    this.open.set(true);
  }

  protected save(instead: boolean): void {
    const body = { type: this.type(), on: this.on(), note: this.note() };
    const wrong = this.correcting();
    const call: Observable<unknown> = wrong
      ? this.api.call(schedule.withdrawEvent, {
          params: { id: wrong.id },
          body: { reason: this.reason(), ...(instead ? { instead: body } : {}) },
        })
      : this.api.call<Endpoint>(endpoints[this.kind()].add, { params: { id: this.id() }, body });
    this.busy.set(true);
    this.problem.set(null);
    call.subscribe({
      next: () => {
        this.busy.set(false);
        this.open.set(false);
        this.page.reload();
        this.changed.emit();
      },
      error: (error: unknown) => {
        this.busy.set(false);
        this.problem.set(toProblem(error));
      },
    });
  }
}
