import { reaching, type CheckReply, type ReachedAddress } from '@dewpost/contract';
import { counted } from '@dewpost/core/quantity';
import { ChangeDetectionStrategy, Component, computed, inject, resource, signal } from '@angular/core';
import { ReactiveFormsModule } from '@angular/forms';
import { MatButton } from '@angular/material/button';
import { MatExpansionModule } from '@angular/material/expansion';
import { MatFormFieldModule } from '@angular/material/form-field';
import { MatInput } from '@angular/material/input';
import { Store } from '@ngrx/store';
import { TriangleAlert } from 'lucide';
import { Api, messageOf } from '../data/api';
import { placeFeature } from '../data/reducers';
import { Icon } from '../parts/icon';
import { PlainTable, type PlainColumn } from '../parts/plain-table';
import { qrCells } from '../parts/qr-cells';
import { ReadyLines } from '../parts/ready-lines';
import { bodyOf, placeProblem, saying, zodForm } from '../parts/zod-forms';
import { NEEDS_TLS, waysIn, worksBy } from './ways-in';

/** How far along its line an address ends, of 100: this computer, the building's wall, outside. */
const ENDS = { computer: 22, building: 64, outside: 96 } as const;
const STEP_WORDS: Readonly<Record<CheckReply['steps'][number]['step'], string>> = {
  name: 'name',
  port: 'port',
  certificate: 'certificate',
  answer: 'Dew Post',
};
/** A certificate is said to be running out from here on, days. */
const SOON_DAYS = 21;

/** Under which addresses this server is reached, how far each reaches, what works there, and a check that says where it stops. */
@Component({
  selector: 'dp-reaching',
  imports: [Icon, MatButton, MatExpansionModule, MatFormFieldModule, MatInput, PlainTable, ReactiveFormsModule, ReadyLines],
  templateUrl: './reaching.html',
  styleUrl: './reaching.scss',
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class ReachingPage {
  private readonly api = inject(Api);
  private readonly store = inject(Store);
  private readonly me = this.store.selectSignal(placeFeature.selectMe);
  protected readonly icons = { TriangleAlert };
  protected readonly maker = computed(() => this.me()?.role === 'maker');
  protected readonly read = resource({
    params: () => (this.maker() ? true : undefined),
    loader: () => this.api.call(reaching.read, {}),
  });
  protected readonly known = computed(() => (this.read.hasValue() ? this.read.value() : null));
  protected readonly problem = computed(() => (this.read.error() ? messageOf(this.read.error()) : null));
  protected readonly checked = signal<CheckReply | null>(null);
  protected readonly checking = signal(false);
  protected readonly said = signal<string | null>(null);
  protected readonly form = zodForm(reaching.check.body, { url: '' });
  protected readonly problemOf = saying(this.form);
  protected readonly pages = computed(() => this.known()?.addresses.filter(({ what }) => what === 'page') ?? []);
  /** The best address for a phone in the building: by TLS where there is one for that name. */
  protected readonly forPhone = computed(() => {
    const far = this.pages().filter(({ reach }) => reach !== 'computer');
    return far.find(({ tls, certified }) => tls && certified !== false) ?? far[0] ?? null;
  });
  protected readonly qr = computed(() => {
    const address = this.forPhone();
    return address ? qrCells(address.url) : null;
  });
  protected readonly ways = computed(() => {
    const known = this.known();
    if (!known) return [];
    const building = known.nodeAddressReaches ? known.nodeAddress : '192.168.7.2';
    const name = known.publicOrigins[0] === undefined ? 'mill.example' : new URL(known.publicOrigins[0]).hostname;
    return waysIn({ httpPort: known.httpPort, building, name });
  });
  protected readonly workColumns = computed<readonly PlainColumn[]>(() => [
    { id: 'need', label: 'What works where', kind: 'head' },
    ...this.pages().map(({ url }) => ({ id: url, label: url, kind: 'words' as const })),
  ]);
  protected readonly workRows = computed(() => {
    const ownAuthority = this.known()?.certificate?.issuer.includes('authority of this building') ?? false;
    return NEEDS_TLS.map((need) => ({
      need,
      ...Object.fromEntries(this.pages().map((address) => [address.url, worksBy(need, { ...address, ownAuthority })])),
    }));
  });
  protected readonly ends = ENDS;
  protected readonly stepWords = STEP_WORDS;

  protected wrong(address: ReachedAddress): string | null {
    if (address.tls && address.certified === false && address.reach !== 'outside') return 'the certificate is for another name';
    return null;
  }
  protected comes({ people, nodes, what }: ReachedAddress): string {
    if (what === 'broker') return nodes === 0 ? 'no node' : counted(nodes, 'node');
    return people === 0 ? 'nobody since the start' : counted(people, 'person', 'people');
  }
  protected soon(days: number): boolean {
    return days < SOON_DAYS;
  }
  protected schemeOf(url: string): [string, string] {
    const [scheme = '', rest = ''] = url.split('//');
    return [`${scheme}//`, rest];
  }
  protected use(url: string): void {
    this.form.setValue({ url });
    void this.check();
  }
  protected async check(): Promise<void> {
    const body = bodyOf(this.form, reaching.check.body);
    if (!body) return;
    this.checking.set(true);
    try {
      this.checked.set(await this.api.call(reaching.check, { body }));
      this.said.set(null);
    } catch (error) {
      this.said.set(placeProblem(this.form, error));
    }
    this.checking.set(false);
  }
  protected seconds(ms: number): string {
    return `${(ms / 1000).toFixed(2)} s`;
  }
}
