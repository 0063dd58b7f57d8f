import { ChangeDetectionStrategy, Component, inject } from '@angular/core';
import { RouterLink } from '@angular/router';
import { setup } from '@key-cellar/contract';
import { Api } from '../kit/api';
import { loaded } from '../kit/loaded';
import { ProblemNotice } from '../kit/notice';
import { CountPipe } from '../kit/words';

/** Records of which detectors could not read all: silence about them is not “nothing found”. */
@Component({
  selector: 'kc-unread-records',
  imports: [CountPipe, ProblemNotice, RouterLink],
  template: `
    <kc-problem [problem]="page.problem()" />
    @if (page.value(); as p) {
      <table class="frame">
        <thead>
          <tr>
            <th i18n>record</th>
            <th i18n>not read</th>
          </tr>
        </thead>
        <tbody>
          @for (r of p.records; track r.id) {
            <tr>
              <td>
                <a [routerLink]="['/records', r.id]"
                  ><code>{{ r.number }}</code> {{ r.title }}</a
                >
              </td>
              <td>
                @for (why of r.unread; track why) {
                  <p>{{ why }}</p>
                }
              </td>
            </tr>
          }
        </tbody>
      </table>
      @if (p.total > p.records.length) {
        <p class="quiet small" i18n>The newest {{ p.records.length | count }} of {{ p.total | count }}.</p>
      }
    }
  `,
  styles: `
    td p {
      margin: 0;
    }
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class UnreadRecords {
  private readonly api = inject(Api);
  protected readonly page = loaded(() => this.api.call(setup.unread));
}
