import { ChangeDetectionStrategy, Component, computed, effect, inject, input, output, signal, untracked } from '@angular/core';
import { RouterLink } from '@angular/router';
import { people, type PlacePage } from '@key-cellar/contract';
import { CarriedTags, MarkingSheet, MarkingWords, TagsSheet } from '../access/index';
import { Api } from '../kit/api';
import { loaded } from '../kit/loaded';
import { ProblemNotice } from '../kit/notice';
import { PassSheet } from '../passes/index';
import { AloneSheet } from './aloneSheet';
import { GrantSheet } from './grantSheet';
import { GrantsTable, type GrantTask } from './grantsTable';
import { ReaderSheet } from './readerSheet';

/** Who was given what on a place, and on those around it; for those who may give it. What is done is tried first. */
@Component({
  selector: 'kc-place-grants',
  imports: [
    AloneSheet,
    CarriedTags,
    GrantSheet,
    GrantsTable,
    MarkingSheet,
    MarkingWords,
    PassSheet,
    ProblemNotice,
    ReaderSheet,
    RouterLink,
    TagsSheet,
  ],
  template: `
    <div class="head">
      <h2 i18n>Access</h2>
      @if (page.value()?.mayGrant) {
        <button type="button" (click)="task.set({ kind: 'give' })" i18n>give access</button>
        @if (place().kind !== 'repository') {
          <button type="button" (click)="alone.set(true)">{{ place().standAlone ? labels.open : labels.apart }}</button>
        }
        <button type="button" (click)="marking.set(true)" i18n>marking</button>
        @if (place().kind !== 'repository') {
          <button type="button" (click)="tagging.set(true)" i18n>access tags</button>
        }
        @if (page.value(); as p) {
          <button type="button" (click)="naming.set(true)">{{ p.readerOnPages.here ? labels.nobody : labels.reader }}</button>
        }
        @if (place().rights.includes('link') && (place().kind === 'folder' || place().kind === 'series')) {
          <button type="button" (click)="passing.set(true)" i18n>visitor pass</button>
        }
        <a routerLink="/access/reach" [queryParams]="{ place: place().id }" i18n>who can reach it</a>
      }
    </div>
    <kc-problem [problem]="page.problem()" />
    @if (page.value(); as p) {
      <kc-marking-words [marking]="p.marking" />
      <kc-carried-tags [tags]="p.tags" />
      @if (place().standAlone) {
        <p class="quiet" i18n>Stands alone: what is given farther out does not reach in, but for keepers and auditors.</p>
      }
      @if (p.readerOnPages.by; as by) {
        <p class="quiet">
          @if (p.readerOnPages.here) {
            <ng-container i18n>Pages shown from here bear the name of whoever reads them.</ng-container>
          } @else {
            <ng-container i18n>Pages shown from here bear the name of whoever reads them, as {{ by }} says.</ng-container>
          }
        </p>
      }
      @if (p.grants.length === 0) {
        <p class="quiet" i18n>Nobody was given anything here or around it.</p>
      } @else {
        <kc-grants-table [grants]="p.grants" [here]="place().id" [mayGrant]="p.mayGrant" (task)="task.set($event)" />
      }
      <kc-reader-sheet [(open)]="naming" [place]="place()" [on]="p.readerOnPages.here" (done)="again()" />
      <kc-tags-sheet [(open)]="tagging" [place]="place()" [name]="name()" [now]="p.tags" (done)="again()" />
      <kc-marking-sheet [(open)]="marking" [place]="place()" [name]="name()" [now]="p.marking" (done)="again()" />
    }
    <kc-pass-sheet [(open)]="passing" [placeId]="place().id" [placeName]="name()" />
    <kc-alone-sheet [(open)]="alone" [place]="place()" (done)="again()" />
    <kc-grant-sheet [(task)]="task" [on]="{ kind: 'place', id: place().id, name: name() }" (done)="again()" />
  `,
  styles: `
    :host {
      display: block;
      padding: 10px 10px 12px;
      border-top: 1px solid var(--line-soft);
    }
    .head {
      display: flex;
      gap: 12px;
      align-items: baseline;
      margin-bottom: 4px;
    }
    h2 {
      font-size: 14px;
    }
    .head button,
    .head a {
      font: inherit;
      font-size: 12.5px;
      padding: 0;
      border: 0;
      background: none;
      color: var(--ink-2);
      text-decoration: underline;
      cursor: pointer;
    }
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class PlaceGrants {
  protected readonly labels = {
    apart: $localize`let it stand alone`,
    open: $localize`no longer stand alone`,
    reader: $localize`name the reader on pages`,
    nobody: $localize`name nobody on pages`,
  };
  private readonly api = inject(Api);
  readonly place = input.required<PlacePage>();
  readonly changed = output();
  protected readonly page = loaded(() => this.api.call(people.grantsOn, { params: { id: this.place().id } }));
  protected readonly name = computed(() => `${this.place().code} ${this.place().title}`.trim());
  protected readonly task = signal<GrantTask | null>(null);
  protected readonly alone = signal(false);
  protected readonly marking = signal(false);
  protected readonly tagging = signal(false);
  protected readonly naming = signal(false);
  protected readonly passing = signal(false);

  constructor() {
    effect(() => {
      if (this.place()) untracked(() => this.task.set(null));
    });
  }

  protected again(): void {
    this.page.reload();
    this.changed.emit();
  }
}
