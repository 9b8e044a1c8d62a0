import { ChangeDetectionStrategy, Component, output } from '@angular/core';
import { Dialog } from 'primeng/dialog';

const keys: readonly [string, string][] = [
  ['Ctrl K', 'Find a device, a mark, a page or an action'],
  ['F8', 'Go to the field of the first finding, then of the next one'],
  ['Ctrl .', 'The tray: open, one line, away; remembered for each view'],
  ['Ctrl ,', 'The findings beside the work, or not'],
  ['F9', 'The hands of the practice bench, at any stage'],
  ['?', 'This list'],
  ['Ctrl Z, Ctrl Shift Z', 'Undo and redo an edit of the plan'],
  ['Arrow keys', 'In the tray: go from nest to nest'],
  ['Shift and arrow keys', 'In the tray: select a rectangle of nests'],
  ['Space', 'In the tray: add a nest to the selection, or take it out'],
  ['Ctrl A, Escape', 'In the tray: select all, select none'],
  ['Letters and digits', 'In the tray: select by part of a name or a mark'],
  ['Enter, double click', 'In the tray: open the passport of a device'],
  ['N, P', 'In a passport: the next device, the one before'],
  ['Mouse drag', 'In the tray: draw a rectangle around nests'],
];

@Component({
  selector: 'nm-keys-help',
  imports: [Dialog],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <p-dialog
      header="Keys"
      [visible]="true"
      (visibleChange)="closed.emit()"
      [modal]="true"
      closeAriaLabel="Close"
      [dismissableMask]="true"
      [draggable]="false"
      [style]="{ width: '38rem' }"
    >
      <table class="plain">
        <tbody>
          @for (entry of keys; track entry[0]) {
            <tr>
              <th scope="row" class="mono">{{ entry[0] }}</th>
              <td>{{ entry[1] }}</td>
            </tr>
          }
        </tbody>
      </table>
    </p-dialog>
  `,
})
export class KeysHelp {
  readonly closed = output();
  protected readonly keys = keys;
}
