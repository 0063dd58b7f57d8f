import { ChangeDetectionStrategy, Component, computed, inject } from '@angular/core';
import { reports, type OutsideLine } from '@key-cellar/contract';
import { Api } from '../kit/api';
import { loaded } from '../kit/loaded';
import { ProblemNotice } from '../kit/notice';
import { InstantPipe } from '../kit/words';
import { SetupNav } from '../records/index';

const names: Readonly<Record<OutsideLine['name'], string>> = {
  timeAuthority: $localize`Time authority`,
  witness: $localize`Witness`,
  archive: $localize`Archive`,
  mail: $localize`Mail server`,
  objects: $localize`Object store`,
  backup: $localize`Backup`,
};

/** What the repository leans on outside of itself: what each is for, whether it is there, and when it last did its work. */
@Component({
  selector: 'kc-outside',
  imports: [InstantPipe, ProblemNotice, SetupNav],
  template: `
    <div class="page">
      <div class="page-head">
        <div>
          <h1 i18n>Outside</h1>
          <p class="lede">
            @if (lines.value()) {
              @if (missing() === 0) {
                <ng-container i18n>All that the repository leans on outside of this server is your own.</ng-container>
              } @else {
                <ng-container i18n
                  >{missing(), plural,
                    =1 {One of the services that the repository leans on is missing or only simulated}
                    other {{{ missing() }} of the services that the repository leans on are missing or only simulated}

                  }.</ng-container
                >
              }
            }
          </p>
        </div>
      </div>
      <kc-setup-nav />
      <kc-problem [problem]="lines.problem()" />
      @if (lines.value(); as l) {
        <table class="frame">
          <thead>
            <tr>
              <th i18n>Service</th>
              <th i18n>Where</th>
              <th i18n>Last at work</th>
              <th i18n>How to arrange it</th>
            </tr>
          </thead>
          <tbody>
            @for (line of l.lines; track line.name) {
              <tr>
                <td>
                  <b>{{ names[line.name] }}</b>
                  <div class="quiet small">{{ line.purpose }}</div>
                  @if (line.trouble) {
                    <div class="madder small">{{ line.trouble }}</div>
                  }
                </td>
                <td>
                  @switch (line.state) {
                    @case ('own') {
                      <span class="mono small">{{ line.address }}</span>
                    }
                    @case ('standIn') {
                      <ng-container i18n>simulated</ng-container>
                    }
                    @default {
                      <span class="madder" i18n>none</span>
                    }
                  }
                </td>
                <td class="when">{{ line.last ? (line.last | instant) : '–' }}</td>
                <td>
                  <code class="small">{{ line.setting ?? backupCommand }}</code>
                </td>
              </tr>
            }
          </tbody>
        </table>
        <p class="quiet small" i18n>
          A simulated service ships with Key Cellar, runs on this machine and proves nothing to others. Where services are is said by
          variables of the server when it starts. A backup that another program makes is not known here.
        </p>
      }
    </div>
  `,
  styles: `
    td {
      vertical-align: top;
      padding-top: 8px;
      padding-bottom: 8px;
    }
    td:first-child {
      width: 50%;
    }
    .when {
      white-space: nowrap;
    }
    table + p {
      margin-top: 10px;
      max-width: 980px;
    }
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class OutsidePage {
  private readonly api = inject(Api);
  protected readonly names = names;
  protected readonly backupCommand = 'npm run backup -- --to FOLDER';
  protected readonly lines = loaded(() => this.api.call(reports.outside));
  protected readonly missing = computed(() => (this.lines.value()?.lines ?? []).filter((line) => line.state !== 'own').length);
}
