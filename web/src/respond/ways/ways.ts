import { access, respond, severitySchema, type NewWay, type Way } from '@dewpost/contract';
import { templateFault, TEMPLATE_PLACEHOLDERS } from '@dewpost/core/alarm';
import { NgTemplateOutlet } from '@angular/common';
import { ChangeDetectionStrategy, Component, computed, inject, resource, signal } from '@angular/core';
import { ReactiveFormsModule, type FormGroupDirective } from '@angular/forms';
import { MatButton } from '@angular/material/button';
import { MatButtonToggle, MatButtonToggleGroup } from '@angular/material/button-toggle';
import { MatFormFieldModule } from '@angular/material/form-field';
import { MatInput } from '@angular/material/input';
import { MatSelectModule } from '@angular/material/select';
import { Store } from '@ngrx/store';
import * as z from 'zod';
import { Api, messageOf } from '../../data/api';
import { nodeNames } from '../../data/node-names';
import { allNodes, placeFeature } from '../../data/reducers';
import { selectTimezone } from '../../data/selectors';
import { dayAndTime } from '../../parts/times';
import { bodyOf, placeProblem, saying, zodForm } from '../../parts/zod-forms';
import { StandinsApi } from '../../shell/standins-api';
import { RespondPages } from '../sub-pages';
import { Followers } from './followers';
import { ThisBrowser } from './this-browser';

const name = z.string().trim().min(1, 'give it a name').max(60);
const webhookForm = z.object({
  name,
  url: z.url({ protocol: /^https?$/, error: 'an address such as https://example.org/hook' }),
  least: severitySchema,
  template: z
    .string()
    .max(4000)
    .transform((text) => text.trim() || null)
    .superRefine((text, context) => {
      const fault = text === null ? null : templateFault(text);
      if (fault !== null) context.addIssue(fault);
    }),
});
const mailForm = z.object({
  name,
  least: severitySchema,
  host: z.string().trim().min(1, 'the mail server').max(253),
  port: z.number().int().min(1).max(65_535),
  tls: z.enum(['offered', 'at once', 'none']),
  user: z.string().max(200),
  password: z.string().max(200),
  from: z.email('a mail address'),
  to: z
    .string()
    .refine(
      (text) => addressesIn(text).length > 0 && addressesIn(text).every((one) => z.email().safeParse(one).success),
      'mail addresses, apart by commas',
    ),
});
const nodeForm = z.object({ name, least: severitySchema, node: z.string().min(1, 'choose a node') });
const pushForm = z.object({ name, least: severitySchema });
const pageForm = z.object({ name, least: severitySchema, account: z.string().min(1, 'choose whose') });
const NO_PUSH = { name: '', least: 'advisory' } as const;
const NO_PAGE = { name: '', least: 'advisory', account: '' } as const;
const NO_NODE = { name: '', least: 'advisory', node: '' } as const;
const NO_HOOK = { name: '', url: '', least: 'advisory', template: '' } as const;
const NO_MAIL = { name: '', least: 'advisory', host: '', port: 587, tls: 'offered', user: '', password: '', from: '', to: '' } as const;

const addressesIn = (text: string): string[] =>
  text
    .split(/[,;\s]+/)
    .map((one) => one.trim())
    .filter(Boolean);

/** Ways by which messages reach people: webhooks, mail, browsers that are pushed to, open pages, and nodes that speak in the building; each with a test that really delivers, and when it was proved last. */
@Component({
  selector: 'dp-ways',
  imports: [
    Followers,
    MatButton,
    MatButtonToggle,
    MatButtonToggleGroup,
    MatFormFieldModule,
    MatInput,
    MatSelectModule,
    NgTemplateOutlet,
    ReactiveFormsModule,
    RespondPages,
  ],
  templateUrl: './ways.html',
  styleUrl: './ways.scss',
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class WaysPage {
  private readonly api = inject(Api);
  private readonly store = inject(Store);
  private readonly zone = this.store.selectSignal(selectTimezone);
  private readonly place = this.store.selectSignal(placeFeature.selectPlaceState);
  private readonly me = this.store.selectSignal(placeFeature.selectMe);
  protected readonly maker = computed(() => this.me()?.role === 'maker');
  protected readonly list = resource({
    params: () => (this.maker() ? true : undefined),
    loader: () => this.api.call(respond.ways, {}),
  });
  protected readonly all = computed<readonly Way[]>(() => (this.list.hasValue() ? this.list.value() : []));
  protected readonly problem = computed(() => (this.list.error() ? messageOf(this.list.error()) : null));
  protected readonly said = signal<{ text: string; bad: boolean } | null>(null);
  protected readonly secret = signal<{ name: string; text: string } | null>(null);
  protected readonly kind = signal<Way['kind']>('webhook');
  private readonly nodes = this.store.selectSignal(allNodes.selectAll);
  protected readonly nameOf = nodeNames();
  /** Nodes that said how they can speak. */
  protected readonly speaking = computed(() => this.nodes().filter(({ says }) => says.length > 0));
  protected readonly busy = signal<number | null>(null);
  protected readonly ending = signal<number | null>(null);
  protected readonly severities = severitySchema.options;
  protected readonly anExample = '{"message": "{title}: {text}"}';
  protected readonly inTemplate = TEMPLATE_PLACEHOLDERS.map((one) => `{${one}}`).join(' ');
  protected readonly hook = zodForm(webhookForm, { ...NO_HOOK });
  protected readonly mail = zodForm(mailForm, { ...NO_MAIL });
  protected readonly voice = zodForm(nodeForm, { ...NO_NODE });
  protected readonly push = zodForm(pushForm, { ...NO_PUSH });
  protected readonly page = zodForm(pageForm, { ...NO_PAGE });
  protected readonly problemOf = saying(this.hook, this.mail, this.voice, this.push, this.page);
  private readonly browser = inject(ThisBrowser);
  private readonly standins = inject(StandinsApi);
  /** Is there a browser that a stand-in plays? */
  protected readonly playedBrowser = computed(() => this.place().status?.standins === 'running');
  protected readonly noPush = this.browser.fault;
  private readonly accounts = resource({
    params: () => (this.maker() && this.kind() === 'page' ? true : undefined),
    loader: () => this.api.call(access.accounts, {}),
  });
  protected readonly people = computed(() => (this.accounts.hasValue() ? this.accounts.value().map(({ name: one }) => one) : []));

  /** Where it goes, in words. */
  protected goes({ kind, to, least }: Way): string {
    const words: Record<Way['kind'], string> = {
      webhook: `webhook to ${to}`,
      mail: `mail to ${to}`,
      push: `pushed to a browser by ${to}`,
      page: `shown on open pages of ${to}`,
      node: `said by ${this.nameOf(to)}`,
    };
    return `${words[kind]}, from ${least} on`;
  }
  protected state({ provedAt, failedAt, failure }: Way): { text: string; bad: boolean } {
    if (failure !== null && failedAt !== null)
      return { text: `did not arrive, ${dayAndTime(failedAt, this.zone())}: ${failure}`, bad: true };
    return { text: provedAt === null ? 'never proved: test it' : `proved ${dayAndTime(provedAt, this.zone())}`, bad: provedAt === null };
  }
  protected async addHook(form: FormGroupDirective): Promise<void> {
    const body = bodyOf(this.hook, webhookForm);
    if (body) await this.add({ kind: 'webhook', notices: true, ...body }, () => form.resetForm({ ...NO_HOOK }), this.hook);
  }
  protected async addMail(form: FormGroupDirective): Promise<void> {
    const body = bodyOf(this.mail, mailForm);
    if (body)
      await this.add({ kind: 'mail', notices: true, ...body, to: addressesIn(body.to) }, () => form.resetForm({ ...NO_MAIL }), this.mail);
  }
  protected async addNode(form: FormGroupDirective): Promise<void> {
    const body = bodyOf(this.voice, nodeForm);
    if (body) await this.add({ kind: 'node', notices: false, ...body }, () => form.resetForm({ ...NO_NODE }), this.voice);
  }
  protected async addPage(form: FormGroupDirective): Promise<void> {
    const body = bodyOf(this.page, pageForm);
    if (body) await this.add({ kind: 'page', notices: true, ...body }, () => form.resetForm({ ...NO_PAGE }), this.page);
  }
  protected async addPush(form: FormGroupDirective, standin = false): Promise<void> {
    const body = bodyOf(this.push, pushForm);
    if (!body) return;
    try {
      const { publicKey } = await this.api.call(respond.pushKey, {});
      const subscription = await (standin ? this.standins : this.browser).subscribe(publicKey);
      await this.add({ kind: 'push', notices: true, ...body, ...subscription }, () => form.resetForm({ ...NO_PUSH }), this.push);
    } catch (error) {
      this.said.set({ text: messageOf(error), bad: true });
    }
  }
  private async add(body: NewWay, done: () => void, form: Parameters<typeof placeProblem>[0]): Promise<void> {
    try {
      const { name: added, secret } = await this.api.call(respond.addWay, { body });
      this.secret.set(secret === null ? null : { name: added, text: secret });
      this.said.set({ text: `${added} is added. Test it: only what arrives is a way.`, bad: false });
      done();
      this.list.reload();
    } catch (error) {
      this.said.set({ text: placeProblem(form, error) ?? 'Not added: see the fields.', bad: true });
    }
  }
  protected async test({ id, name: of }: Way): Promise<void> {
    this.busy.set(id);
    try {
      const { delivered, ms, detail } = await this.api.call(respond.testWay, { params: { id } });
      this.said.set({
        text: delivered ? `${of}: ${detail}, after ${(ms / 1000).toFixed(1)} s. Look whether it arrived.` : `${of}: ${detail}`,
        bad: !delivered,
      });
    } catch (error) {
      this.said.set({ text: messageOf(error), bad: true });
    }
    this.busy.set(null);
    this.list.reload();
  }
  protected async remove({ id }: Way): Promise<void> {
    try {
      await this.api.call(respond.removeWay, { params: { id } });
      this.said.set({ text: 'Taken away.', bad: false });
    } catch (error) {
      this.said.set({ text: messageOf(error), bad: true });
    }
    this.ending.set(null);
    this.list.reload();
  }
}
