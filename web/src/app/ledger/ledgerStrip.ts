import { ChangeDetectionStrategy, Component, computed, input } from '@angular/core';
import type { FixityState, LedgerState } from '@key-cellar/contract';
import { CountPipe, DayPipe, InstantPipe } from '../kit/words';

/** How far the ledger is sealed, cosigned, stamped and verified, and what is in the way. */
@Component({
  selector: 'kc-ledger-strip',
  imports: [CountPipe, DayPipe, InstantPipe],
  template: `
    <dl class="panel">
      <div [class.behind]="has('sealing')">
        <dt i18n>Sealed</dt>
        <dd>
          <b>{{ size() | count }}</b>
          @if (newest(); as head) {
            <span i18n>head signed {{ head.signedAt | instant }}</span>
          } @else {
            <span i18n>nothing yet</span>
          }
          @if (state().unsealed > 0) {
            <span i18n
              >{state().unsealed, plural, =1 {one waits} other {{{ state().unsealed | count }} wait}} since
              {{ state().unsealedSince! | instant }}</span
            >
          }
        </dd>
      </div>
      <div [class.behind]="has('witness')">
        <dt i18n>Cosigned by a witness</dt>
        <dd>
          <b>{{ state().witnessed ?? 0 | count }}</b>
          @if (cosigned(); as witness) {
            <span>{{ witness.name }}, {{ witness.at | instant }}</span>
          } @else {
            <span i18n>not yet</span>
          }
        </dd>
      </div>
      <div [class.behind]="has('stamp')">
        <dt i18n>Time-stamped</dt>
        <dd>
          <b>{{ state().stamped ?? 0 | count }}</b>
          @if (stamp(); as stamp) {
            <span>{{ stamp.authority }}, {{ stamp.at | instant }}</span>
          } @else {
            <span i18n>not yet</span>
          }
        </dd>
      </div>
      @if (contents(); as c) {
        <div [class.behind]="c.damagedCount > 0 || c.objects?.behind">
          <dt i18n>Contents checked</dt>
          <dd>
            @if (c.damagedCount > 0) {
              <b class="wait">{{ c.damagedCount | count }} <ng-container i18n>damaged</ng-container></b>
            } @else if (c.oldest; as oldest) {
              <b i18n>since {{ oldest.slice(0, 10) | day }}</b>
            } @else {
              <b>–</b>
            }
            <span i18n>each within {{ c.days }} days</span>
            @if (c.due >= 10000) {
              <span i18n>{{ c.due | count }} or more due now</span>
            } @else if (c.due > 0) {
              <span i18n>{{ c.due | count }} due now</span>
            }
            @if (c.objects; as o) {
              @if (o.withoutCopy > 0) {
                <span [class.wait]="o.behind" i18n>{{ o.withoutCopy | count }} without a second copy yet</span>
              } @else if (o.withoutLock > 0) {
                <span [class.wait]="o.behind" i18n>{{ o.withoutLock | count }} not locked yet</span>
              } @else {
                <span i18n>{o.contentsIn, select, objects {in the object store, locked} other {second copies, locked}}</span>
              }
            }
          </dd>
        </div>
      }
      <div [class.behind]="state().lastVerified?.ok === false">
        <dt i18n>Verified</dt>
        <dd>
          @if (state().lastVerified; as last) {
            <b>{{ last.size | count }}</b>
            @if (last.ok) {
              <span i18n>as sealed; {{ last.by }}, {{ last.at | instant }}</span>
            } @else {
              <span class="wait" i18n>not as sealed; {{ last.by }}, {{ last.at | instant }}</span>
            }
          } @else {
            <b>–</b>
            <span i18n>never</span>
          }
        </dd>
      </div>
    </dl>
    @for (trouble of state().troubles; track trouble.what) {
      <p class="trouble" role="alert" [class.alarm]="trouble.alarm">
        {{ trouble.sentence }} <span class="small quiet" i18n>since {{ trouble.since | instant }}</span>
      </p>
    }
    @if (contents()?.reconciled; as r) {
      @if (r.contentsOfNothing + r.recordsWithout > 0) {
        <p class="trouble alarm" role="alert" i18n>
          Content and records do not match: {{ r.contentsOfNothing | count }} contents without a record,
          {{ r.recordsWithout | count }} records without their content. The database may have been tampered with.
          <span class="small quiet">counted {{ r.on | day }}</span>
        </p>
      }
    }
  `,
  styles: `
    dl {
      display: grid;
      grid-template-columns: repeat(auto-fit, minmax(160px, 1fr));
      margin: 0 0 12px;
      padding: 0;
    }
    dl > div {
      padding: 8px 14px 10px;
      border-inline-start: 1px solid var(--line);
      border-top: 3px solid var(--kept-strong);
    }
    dl > div:first-child {
      border-inline-start: 0;
    }
    dl > div.behind {
      border-top-color: var(--madder);
    }
    dt {
      font-size: 12.5px;
      color: var(--ink-2);
    }
    dd {
      margin: 0;
      font-size: 12.5px;
    }
    dd b {
      display: block;
      font-size: 19px;
      line-height: 25px;
      font-variant-numeric: tabular-nums;
    }
    dd span {
      display: block;
      color: var(--ink-2);
    }
    dd .wait {
      color: var(--madder);
    }
    .trouble {
      margin: 0 0 10px;
      padding: 8px 14px;
      border-inline-start: 4px solid var(--brass-light);
      background: var(--surface);
    }
    .trouble.alarm {
      border-inline-start-color: var(--madder);
      font-weight: 600;
    }
    @media (max-width: 900px) {
      dl {
        grid-template-columns: 1fr 1fr;
      }
    }
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class LedgerStrip {
  readonly state = input.required<LedgerState>();
  readonly contents = input<FixityState | null>(null);

  protected has(what: LedgerState['troubles'][number]['what']): boolean {
    return this.state().troubles.some((trouble) => trouble.what === what);
  }

  protected readonly newest = computed(() => this.state().heads[0]);
  protected readonly size = computed(() => this.newest()?.size ?? 0);
  protected readonly cosigned = computed(() => this.state().heads.find((head) => head.witness)?.witness);
  protected readonly stamp = computed(() => this.state().heads.find((head) => head.timeStamp)?.timeStamp);
}
