import { type Endpoint, type LiveEvent, type Snapshot } from '@dewpost/contract';
import { provideZonelessChangeDetection, type Provider, type Type } from '@angular/core';
import { TestBed, type ComponentFixture } from '@angular/core/testing';
import { provideRouter } from '@angular/router';
import { provideStore, Store } from '@ngrx/store';
import { Api } from '../data/api';
import { LiveActions } from '../data/live.actions';
import { materialDefaults } from '../parts/material-defaults';
import { reducers } from '../data/reducers';
import { aSnapshot } from './builders';

export { aCalibration, aNode, aPoint, aRelay, aRun, aSnapshot, aThreshold, NOON } from './builders';

/** What every call of an endpoint is answered with, or a function of what it was asked; an `Error` is thrown. */
export type Answer = unknown;
export interface Call {
  readonly endpoint: Endpoint;
  readonly input: { params?: Record<string, unknown>; body?: unknown };
}

/** The server as a page sees it: questions and answers are held to the contract, so that no test can make up either. */
class ScriptedApi {
  readonly calls: Call[] = [];
  constructor(private readonly answers: ReadonlyMap<Endpoint, Answer>) {}

  async call(endpoint: Endpoint, input: Call['input']): Promise<unknown> {
    if (!this.answers.has(endpoint)) throw new Error(`nobody said what ${endpoint.method} ${endpoint.path} answers`);
    const body: unknown = endpoint.method === 'get' || endpoint.method === 'delete' ? undefined : endpoint.body.parse(input.body ?? {});
    this.calls.push({ endpoint, input: { params: input.params, body } });
    const scripted = this.answers.get(endpoint);
    const answer: unknown = typeof scripted === 'function' ? await (scripted as (asked: Call['input']) => unknown)(input) : scripted;
    if (answer instanceof Error) throw answer;
    return endpoint.reply.parse(answer);
  }
}

function words(element: Element): string {
  const texts = document.createTreeWalker(element, NodeFilter.SHOW_TEXT);
  const found: string[] = [];
  while (texts.nextNode()) found.push((texts.currentNode.textContent ?? '').trim());
  return found.join(' ').replace(/\s+/g, ' ').trim();
}

/** One page on its own: the real store, a scripted server, and hands to press what has a name. */
export class Rig<T> {
  private constructor(
    readonly fixture: ComponentFixture<T>,
    private readonly api: ScriptedApi,
  ) {}

  static async open<T>(
    page: Type<T>,
    {
      snapshot = {},
      answers = [],
      inputs = {},
      providers = [],
      instead = null,
    }: {
      snapshot?: Partial<Snapshot> | null;
      answers?: readonly (readonly [Endpoint, Answer])[];
      inputs?: Record<string, unknown>;
      providers?: Provider[];
      /** A part of the page that only a browser can draw, and what stands in its place. */
      instead?: { part: Type<unknown>; by: Type<unknown> } | null;
    },
  ): Promise<Rig<T>> {
    const api = new ScriptedApi(new Map(answers));
    TestBed.resetTestingModule();
    if (instead) TestBed.overrideComponent(page, { remove: { imports: [instead.part] }, add: { imports: [instead.by] } });
    TestBed.configureTestingModule({
      providers: [
        provideZonelessChangeDetection(),
        provideRouter([{ path: '**', component: page }]),
        provideStore(reducers),
        { provide: Api, useValue: api },
        // As the routes behind the door have them.
        ...materialDefaults,
        ...providers,
      ],
    });
    if (snapshot) TestBed.inject(Store).dispatch(LiveActions.snapshotLoaded({ snapshot: aSnapshot(snapshot) }));
    const fixture = TestBed.createComponent(page);
    for (const [name, value] of Object.entries(inputs)) fixture.componentRef.setInput(name, value);
    const rig = new Rig(fixture, api);
    await rig.settle();
    return rig;
  }

  settle = (): Promise<unknown> => this.fixture.whenStable();
  /** A virtual list draws its rows a frame later. */
  async frame(): Promise<void> {
    await new Promise((done) => requestAnimationFrame(done));
    await this.settle();
  }
  get element(): HTMLElement {
    return this.fixture.nativeElement as HTMLElement;
  }
  /** All that is shown, its pieces a space apart. */
  get text(): string {
    return words(this.element);
  }
  rows(selector = 'tbody tr'): string[] {
    return [...this.element.querySelectorAll(selector)].map(words);
  }
  button(name: string): HTMLButtonElement {
    const all = [...this.element.querySelectorAll<HTMLButtonElement>('button, a')];
    const found = all.find((one) => (one.getAttribute('aria-label') ?? words(one)) === name);
    if (!found) throw new Error(`no button "${name}" among: ${all.map(words).join(' | ')}`);
    return found;
  }
  async press(name: string): Promise<void> {
    const button = this.button(name);
    if (button.disabled) throw new Error(`"${name}" cannot be pressed`);
    button.click();
    await this.settle();
  }
  /** Fills a field or chooses in a list, as a person leaves it. */
  async fill(selector: string, value: string): Promise<void> {
    const field = this.element.querySelector<HTMLInputElement | HTMLSelectElement>(selector);
    if (!field) throw new Error(`no field ${selector}`);
    if (field.matches('mat-select')) return this.choose(field, value);
    if (field instanceof HTMLSelectElement) {
      const option = [...field.options].find((one) => one.value === value || one.text.trim() === value);
      if (!option) throw new Error(`${selector} has no ${value}, only ${[...field.options].map((one) => one.text.trim()).join(' | ')}`);
      field.value = option.value;
    } else field.value = value;
    for (const type of ['input', 'change', 'blur']) field.dispatchEvent(new Event(type, { bubbles: true }));
    await this.settle();
  }
  /** Chooses the option with this text; the list lies outside the page. */
  private async choose(select: HTMLElement, text: string): Promise<void> {
    select.querySelector<HTMLElement>('.mat-mdc-select-trigger')?.click();
    await this.settle();
    const options = [...document.querySelectorAll<HTMLElement>('mat-option')];
    const option = options.find((one) => words(one) === text);
    if (!option) throw new Error(`there is no ${text}, only ${options.map(words).join(' | ')}`);
    option.click();
    await this.settle();
  }
  async arrive(...events: LiveEvent[]): Promise<void> {
    TestBed.inject(Store).dispatch(LiveActions.eventsArrived({ events }));
    await this.settle();
  }
  /** Bodies and parameters that an endpoint was called with. */
  asked(endpoint: Endpoint): Call['input'][] {
    return this.api.calls.filter((call) => call.endpoint === endpoint).map((call) => call.input);
  }
}
