import { ChangeDetectionStrategy, Component, computed, inject, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { Store } from '@ngrx/store';
import { csvColumns, fileSlug, usualColumns, type CsvColumn } from '@nest-mark/core';
import { InputText } from 'primeng/inputtext';
import { batchFeature } from '../state/batch.reducer';
import { FileLook, type OfferedFile } from './file-look';

/** The batch in the words of other programs. */
@Component({
  selector: 'nm-tools-part',
  imports: [FileLook, FormsModule, InputText],
  changeDetection: ChangeDetectionStrategy.OnPush,
  templateUrl: './tools-part.html',
  styleUrl: './parts.css',
})
export class ToolsPart {
  private readonly store = inject(Store);
  protected readonly batchId = this.store.selectSignal(batchFeature.selectId);
  private readonly plan = this.store.selectSignal(batchFeature.selectPlan);
  private readonly name = computed(() => fileSlug(this.plan()?.name ?? ''));
  protected readonly allColumns = (Object.keys(csvColumns) as CsvColumn[]).map((id) => ({
    id,
    title: csvColumns[id][0],
  }));
  protected readonly columns = signal<readonly CsvColumn[]>(usualColumns);
  protected readonly port = signal(9100);

  protected readonly table = computed((): OfferedFile => ({
    title: 'The batch as a table',
    saved: `${this.name()}.csv`,
    path: `batch.csv?columns=${this.columns().join(',')}`,
    use: 'Nest, mark, name, address, key: for the record or a spreadsheet.',
  }));
  protected readonly files = computed((): OfferedFile[] => {
    const name = this.name();
    const file = (title: string, saved: string, path: string, use: string): OfferedFile => ({
      title,
      saved,
      path,
      use,
    });
    return [
      file(
        'Inventory, YAML',
        `${name}.inventory.yml`,
        'inventory.yml',
        'Hosts in groups by role, as configuration managers read them.',
      ),
      file('Inventory, INI', `${name}.inventory.ini`, 'inventory.ini', 'The same in the older form.'),
      file(
        'Hosts file',
        `hosts.${name}`,
        'hosts',
        'Lines for /etc/hosts of a computer that shall know the boards by name.',
      ),
      file(
        'Zone lines',
        `${name}.zone`,
        'zone',
        'A or AAAA and TXT records, to go behind the SOA of a zone of yours.',
      ),
      file(
        'Fixed addresses, dnsmasq',
        `${name}.dnsmasq.conf`,
        'dnsmasq.conf',
        'So that each board keeps the address at which it was proved.',
      ),
      file('Fixed addresses, ISC dhcpd', `${name}.dhcpd.conf`, 'dhcpd.conf', 'The same for ISC’s server.'),
      file(
        'Fixed addresses, Kea',
        `${name}.kea.json`,
        'kea.json',
        'The same as a list of reservations for a subnet of Kea.',
      ),
    ];
  });
  protected readonly targets = computed((): OfferedFile => ({
    title: 'Monitoring targets',
    saved: `${this.name()}.targets.json`,
    path: `targets.json?port=${String(this.port())}`,
    use: 'A list of addresses with labels, as monitoring programs read it from a file.',
  }));

  protected toggle(id: CsvColumn): void {
    const chosen = this.columns();
    const next = chosen.includes(id) ? chosen.filter((one) => one !== id) : [...chosen, id];
    // In the order in which they are offered; a table without a column is none.
    if (next.length > 0)
      this.columns.set(this.allColumns.map((one) => one.id).filter((one) => next.includes(one)));
  }

  protected setPort(port: number | null): void {
    if (port !== null && Number.isInteger(port) && port >= 1 && port <= 65_535) this.port.set(port);
  }
}
