import { ChangeDetectionStrategy, Component, computed, inject, input, signal } from '@angular/core';
import { RouterLink } from '@angular/router';
import { tags } from '@key-cellar/contract';
import { Button } from 'primeng/button';
import { AccessNav, TagsSheet } from '../access/index';
import { Api } from '../kit/api';
import { loaded } from '../kit/loaded';
import { ProblemNotice } from '../kit/notice';
import { CountPipe } from '../kit/words';
import { GrantSheet } from './grantSheet';
import { GrantsTable, type GrantTask } from './grantsTable';
import { TagSheet } from './tagSheet';

/** One access tag: what is given by it, and what carries it. */
@Component({
  selector: 'kc-tag',
  imports: [AccessNav, Button, CountPipe, GrantSheet, GrantsTable, ProblemNotice, RouterLink, TagSheet, TagsSheet],
  template: `
    <div class="page">
      @if (page.value(); as p) {
        <div class="page-head">
          <div>
            <h1>{{ p.tag.name }}</h1>
            <p class="lede">
              <a routerLink="/access/tags" i18n>Access tag</a>
              @if (p.tag.note) {
                · {{ p.tag.note }}
              }
              @if (!p.tag.active) {
                · <span class="madder" i18n>not in use: it gives nothing</span>
              }
            </p>
          </div>
          @if (p.mayChange) {
            <div class="acts">
              <p-button severity="secondary" [outlined]="true" label="Change …" i18n-label (onClick)="changing.set(true)" />
              <p-button [disabled]="!p.tag.active" label="Give access" i18n-label (onClick)="task.set({ kind: 'give' })" />
            </div>
          }
        </div>
        <kc-access-nav />
        <section>
          <h2 i18n>Given by it</h2>
          @if (p.grants.length === 0) {
            <p class="quiet" i18n>Nobody was given access by it yet.</p>
          } @else {
            <kc-grants-table [grants]="p.grants" [here]="id()" [mayGrant]="p.mayChange" (task)="task.set($event)" />
          }
        </section>
        <section>
          <div class="section-head">
            <h2 i18n>Carried by</h2>
            @if (marked().size > 0) {
              <p-button size="small" severity="secondary" [outlined]="true" [label]="takeOff()" (onClick)="taking.set(true)" />
            }
          </div>
          @if (p.places.length + p.records.length === 0) {
            <p class="quiet" i18n>
              Nothing that you know of carries it yet. Put it on a place under Arrangement on its page, and on records on their pages or
              many at once in Find.
            </p>
          } @else {
            <table class="frame">
              <tbody>
                @for (place of p.places; track place.id) {
                  <tr>
                    <td class="mark"></td>
                    <td>
                      <a [routerLink]="['/plan', place.id]"
                        ><code>{{ place.code }}</code> {{ place.title }}</a
                      >&ngsp;<span class="quiet small" i18n>with all that lies in it</span>
                    </td>
                  </tr>
                }
                @for (record of p.records; track record.id) {
                  <tr>
                    <td class="mark">
                      @if (record.mayGrant) {
                        <input
                          type="checkbox"
                          [attr.aria-label]="record.number"
                          [checked]="marked().has(record.id)"
                          (change)="mark(record.id)"
                        />
                      }
                    </td>
                    <td>
                      <a [routerLink]="['/records', record.id]"
                        ><code>{{ record.number }}</code> {{ record.title }}</a
                      >
                    </td>
                  </tr>
                }
              </tbody>
            </table>
            @if (left() > 0) {
              <p class="quiet small" i18n>and {{ left() | count }} more</p>
            }
          }
        </section>
        <kc-tag-sheet [(open)]="changing" [tag]="p.tag" (changed)="again()" />
        <kc-grant-sheet [(task)]="task" [on]="{ kind: 'tag', id: p.tag.id, name: p.tag.name }" (done)="again()" />
        <kc-tags-sheet [(open)]="taking" [recordIds]="[...marked()]" [taken]="[p.tag.id]" (done)="again()" />
      }
      <kc-problem [problem]="page.problem()" />
    </div>
  `,
  styles: `
    section {
      margin-bottom: 18px;
    }
    h2 {
      font-size: 15px;
      margin-bottom: 6px;
    }
    td.mark {
      width: 28px;
    }
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class TagPage {
  private readonly api = inject(Api);
  readonly id = input.required<string>();
  protected readonly page = loaded(() => this.api.call(tags.page, { params: { id: this.id() } }));
  protected readonly task = signal<GrantTask | null>(null);
  protected readonly changing = signal(false);
  protected readonly taking = signal(false);
  protected readonly marked = signal<ReadonlySet<string>>(new Set());
  protected readonly takeOff = computed(() =>
    this.marked().size === 1 ? $localize`Take it off one record …` : $localize`Take it off ${this.marked().size}:n: records …`,
  );
  /** How much carries it that is not listed. */
  protected readonly left = computed(() => {
    const p = this.page.value();
    return p ? p.tag.places - p.places.length + (p.tag.records - p.records.length) : 0;
  });

  protected mark(id: string): void {
    const next = new Set(this.marked());
    if (!next.delete(id)) next.add(id);
    this.marked.set(next);
  }

  protected again(): void {
    this.marked.set(new Set());
    this.page.reload();
  }
}
