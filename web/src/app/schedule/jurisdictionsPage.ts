import { ChangeDetectionStrategy, Component, computed, DestroyRef, inject, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { schedule, type JurisdictionLine, type Problem } from '@key-cellar/contract';
import { Button } from 'primeng/button';
import { Tooltip } from 'primeng/tooltip';
import type { Observable } from 'rxjs';
import { Session } from '../identity/index';
import { Api, toProblem } from '../kit/api';
import { Choice } from '../kit/choice';
import { Keys } from '../kit/keys';
import { loaded } from '../kit/loaded';
import { ProblemNotice } from '../kit/notice';
import { Sheet } from '../kit/sheet';
import { TextField } from '../kit/textField';
import { CalendarSheet, weekdayNames } from './calendarSheet';
import { asTree } from './jurisdictionTree';
import { ScheduleNav } from './scheduleNav';

/** Where rules apply: a rule for a wide jurisdiction applies in all that are part of it. */
@Component({
  selector: 'kc-jurisdictions',
  imports: [TextField, Button, CalendarSheet, Choice, FormsModule, ProblemNotice, ScheduleNav, Sheet, Tooltip],
  template: `
    <div class="page">
      <div class="page-head">
        <div>
          <h1 i18n>Jurisdictions</h1>
          <p class="lede" i18n>
            A rule for a jurisdiction also applies in those that are part of it. A record without jurisdictions of its own takes those of
            its folder or series.
          </p>
        </div>
        <div class="acts">
          @if (session.may('dispose')) {
            <p-button label="Add a jurisdiction" i18n-label pTooltip="n" tooltipPosition="bottom" (onClick)="begin(null)" />
          }
        </div>
      </div>
      <kc-schedule-nav />
      <kc-problem [problem]="page.problem()" />
      @if (!open()) {
        <kc-problem [problem]="problem()" />
      }
      @if (page.value()) {
        @if (lines().length > 0) {
          <table class="frame">
            <thead>
              <tr>
                <th i18n>jurisdiction</th>
                <th class="num" i18n>rules</th>
                <th class="num" i18n>places</th>
                <th i18n>working days</th>
                <th><span class="sr" i18n>acts</span></th>
              </tr>
            </thead>
            <tbody>
              @for (line of lines(); track line.name) {
                <tr>
                  <td [style.padding-inline-start.px]="10 + line.depth * 24">
                    <b>{{ line.name }}</b>
                  </td>
                  <td class="num">{{ line.rules }}</td>
                  <td class="num">{{ line.places }}</td>
                  <td>
                    @if (line.calendar; as c) {
                      {{ daysOff(c) }}
                    } @else {
                      <span class="quiet" i18n>nobody said</span>
                    }
                  </td>
                  <td class="num">
                    @if (session.may('dispose')) {
                      <p-button
                        size="small"
                        severity="secondary"
                        [text]="true"
                        label="working days"
                        i18n-label
                        ariaLabel="Working days in {{ line.name }}"
                        i18n-ariaLabel
                        (onClick)="setDays(line)"
                      />
                      <p-button
                        size="small"
                        severity="secondary"
                        [text]="true"
                        label="move"
                        i18n-label
                        ariaLabel="Move {{ line.name }}"
                        i18n-ariaLabel
                        (onClick)="begin(line)"
                      />
                      <p-button
                        size="small"
                        severity="secondary"
                        [text]="true"
                        label="remove"
                        i18n-label
                        ariaLabel="Remove {{ line.name }}"
                        i18n-ariaLabel
                        (onClick)="drop(line)"
                      />
                    }
                  </td>
                </tr>
              }
            </tbody>
          </table>
        } @else {
          <div class="empty" i18n><b>No jurisdiction yet</b>Without any, every rule applies everywhere.</div>
        }
      }
      <kc-calendar-sheet [(open)]="settingDays" [line]="daysOf()" (saved)="page.reload()" />
      <kc-sheet [(open)]="open" [heading]="moving() ? labels.moving(moving()!.name) : labels.addJurisdiction">
        <form class="form" (ngSubmit)="save()">
          @if (!moving()) {
            <kc-text-field
              field="jurisdiction-name"
              label="Name"
              i18n-label
              [needed]="true"
              [maxlength]="80"
              [value]="name()"
              (valueChange)="name.set($event)"
            />
          } @else {
            <p i18n>Due dates there are recalculated by the rules of the wider one.</p>
          }
          <kc-choice
            field="jurisdiction-part"
            label="Part of"
            i18n-label
            [options]="wider()"
            [open]="true"
            placeholder="none"
            i18n-placeholder
            [value]="partOf()"
            (valueChange)="partOf.set($event)"
          />
          <kc-problem [problem]="problem()" />
          <p-button type="submit" [disabled]="busy() || (!moving() && !name().trim())" [label]="moving() ? labels.move : labels.add" />
        </form>
      </kc-sheet>
    </div>
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class JurisdictionsPage {
  protected readonly labels = {
    moving: (name: string) => $localize`Move ${name}:what:`,
    addJurisdiction: $localize`Add a jurisdiction`,
    move: $localize`Move it`,
    add: $localize`Add it`,
  };
  private readonly api = inject(Api);
  protected readonly session = inject(Session);
  protected readonly page = loaded(() => this.api.call(schedule.jurisdictions));
  protected readonly lines = computed(() => asTree(this.page.value()?.jurisdictions ?? []));
  protected readonly open = signal(false);
  protected readonly moving = signal<JurisdictionLine | null>(null);
  protected readonly name = signal('');
  protected readonly partOf = signal<string | null>(null);
  protected readonly busy = signal(false);
  protected readonly problem = signal<Problem | null>(null);
  protected readonly wider = computed(() =>
    this.lines()
      .filter((j) => j.name !== this.moving()?.name)
      .map((j) => ({ value: j.name, name: j.name })),
  );

  constructor() {
    const remove = inject(Keys).add({ n: [$localize`add a jurisdiction`, () => this.session.may('dispose') && this.begin(null)] });
    inject(DestroyRef).onDestroy(remove);
  }

  /** The jurisdiction whose working days are being said. */
  protected readonly daysOf = signal<JurisdictionLine | null>(null);
  protected readonly settingDays = signal(false);

  protected setDays(line: JurisdictionLine): void {
    this.daysOf.set(line);
    this.settingDays.set(true);
  }

  protected daysOff({ weekend, holidays }: NonNullable<JurisdictionLine['calendar']>): string {
    const ahead = holidays.filter((h) => h.on >= this.session.today()).length;
    return $localize`not ${weekend.map((d) => weekdayNames[d - 1]).join(', ')}:weekdays:; ${ahead}:n: holidays ahead`;
  }

  protected begin(line: JurisdictionLine | null): void {
    this.moving.set(line);
    this.name.set('');
    this.partOf.set(line?.partOf ?? null);
    this.problem.set(null);
    this.open.set(true);
  }

  protected save(): void {
    const line = this.moving();
    const partOf = this.partOf();
    this.act(
      line
        ? this.api.call(schedule.moveJurisdiction, { body: { name: line.name, partOf } })
        : this.api.call(schedule.makeJurisdiction, { body: { name: this.name().trim(), partOf } }),
    );
  }

  protected drop(line: JurisdictionLine): void {
    this.act(this.api.call(schedule.dropJurisdiction, { body: { name: line.name } }));
  }

  private act(call: Observable<unknown>): void {
    this.busy.set(true);
    this.problem.set(null);
    call.subscribe({
      next: () => {
        this.busy.set(false);
        this.open.set(false);
        this.page.reload();
      },
      error: (error: unknown) => {
        this.busy.set(false);
        this.problem.set(toProblem(error));
      },
    });
  }
}
