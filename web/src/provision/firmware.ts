import { provision } from '@dewpost/contract';
import { manifestSchema, type Manifest } from '@dewpost/core/firmware';
import { formatNumber } from '@dewpost/core/quantity';
import { ChangeDetectionStrategy, Component, computed, inject, resource, signal } from '@angular/core';
import { ReactiveFormsModule } from '@angular/forms';
import { MatButton } from '@angular/material/button';
import { MatFormFieldModule } from '@angular/material/form-field';
import { MatInput } from '@angular/material/input';
import { MatProgressBar } from '@angular/material/progress-bar';
import { MatTableModule } from '@angular/material/table';
import { Store } from '@ngrx/store';
import { Api, messageOf } from '../data/api';
import { placeFeature } from '../data/reducers';
import { dayAndTime } from '../parts/times';
import { bodyOf, placeProblem, saying, zodForm } from '../parts/zod-forms';
import { FileButton } from '../parts/file-button';
import { ProvisionPages } from './provision-pages';

const keySchema = provision.addTrustedKey.body;

/** SHA-256 of a file by the browser, where it has one (a page over plain HTTP away from localhost has none). */
async function digestOf(file: File): Promise<string | null> {
  const subtle = globalThis.crypto?.subtle as SubtleCrypto | undefined;
  if (!subtle) return null;
  const digest = new Uint8Array(await subtle.digest('SHA-256', await file.arrayBuffer()));
  return Array.from(digest, (byte) => byte.toString(16).padStart(2, '0')).join('');
}

/** The firmware library: images with their manifests, who signed them, which nodes run them; and the keys that are trusted. */
@Component({
  selector: 'dp-firmware',
  imports: [FileButton, MatButton, MatFormFieldModule, MatInput, MatProgressBar, MatTableModule, ProvisionPages, ReactiveFormsModule],
  templateUrl: './firmware.html',
  styles: `
    .digest {
      font-size: 11px;
    }
    .upload {
      display: grid;
      grid-template-columns: minmax(0, 1fr);
      gap: 8px;
      padding: 8px 16px 16px;
    }
    .key {
      display: grid;
      grid-template-columns: minmax(0, 1fr) auto;
      gap: 2px 8px;
      padding: 6px 16px;
      border-top: 1px solid var(--hair);
    }
    .key code {
      font-size: 11px;
      overflow-wrap: anywhere;
    }
    .row-head {
      width: 28%;
    }
    .row-head i {
      display: block;
    }
    input[type='file'] {
      max-width: 100%;
      font: inherit;
      color: var(--ink-2);
    }
    input[type='file']::file-selector-button {
      min-height: 32px;
      margin-right: 8px;
      padding: 0 12px;
      font: inherit;
      font-weight: 600;
      color: var(--ink);
      background: var(--panel);
      border: 1px solid var(--rule);
      border-radius: var(--r);
    }
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class FirmwarePage {
  private readonly api = inject(Api);
  private readonly store = inject(Store);
  private readonly me = this.store.selectSignal(placeFeature.selectMe);
  private readonly site = this.store.selectSignal(placeFeature.selectSite);
  protected readonly maker = computed(() => this.me()?.role === 'maker');
  protected readonly read = resource({ params: () => this.maker() || undefined, loader: () => this.api.call(provision.firmware, {}) });
  protected readonly keys = resource({ params: () => this.maker() || undefined, loader: () => this.api.call(provision.trustedKeys, {}) });
  protected readonly problem = computed(() => {
    const error = this.read.error() ?? this.keys.error();
    return error ? messageOf(error) : null;
  });
  protected readonly manifest = signal<Manifest | null>(null);
  protected readonly image = signal<File | null>(null);
  protected readonly said = signal<{ text: string; bad: boolean } | null>(null);
  protected readonly sent = signal<number | null>(null);
  protected readonly columns = ['margin', 'image', 'board', 'size', 'digest', 'signed', 'nodes'];
  protected readonly byId = (_place: number, one: { id: string }): string => one.id;
  protected readonly key = zodForm(keySchema, { name: '', publicKey: '' });
  protected readonly aboutKeys = signal<string | null>(null);
  protected readonly sayOf = saying(this.key);
  protected readonly ready = computed(() => this.manifest() !== null && this.image() !== null && this.sent() === null);

  protected async takeManifest(file: File): Promise<void> {
    this.manifest.set(null);
    this.said.set(null);
    try {
      const parsed = manifestSchema.safeParse(JSON.parse(await file.text()));
      if (parsed.success) this.manifest.set(parsed.data);
      else
        this.said.set({
          text: `${file.name}: ${parsed.error.issues.map((issue) => `${issue.path.join('.')}: ${issue.message}`).join('; ')}`,
          bad: true,
        });
    } catch {
      this.said.set({ text: `${file.name} is not JSON: a manifest is one JSON object.`, bad: true });
    }
  }
  protected async upload(): Promise<void> {
    const [manifest, image] = [this.manifest(), this.image()];
    if (!manifest || !image) return;
    // Said before the image travels; the server looks again.
    if (image.size !== manifest.bytes) {
      this.said.set({
        text: `The image has ${image.size} bytes, its manifest says ${manifest.bytes}: one of the two is another's.`,
        bad: true,
      });
      return;
    }
    const digest = await digestOf(image);
    if (digest !== null && digest !== manifest.sha256) {
      this.said.set({
        text: `The digest of the image is ${digest.slice(0, 16)}…, its manifest says ${manifest.sha256.slice(0, 16)}…`,
        bad: true,
      });
      return;
    }
    try {
      await this.send(manifest, image);
      this.read.reload();
      this.said.set({ text: `${manifest.name} ${manifest.version} is in the library.`, bad: false });
    } catch (error) {
      this.said.set({ text: messageOf(error), bad: true });
    }
    this.sent.set(null);
  }
  protected async addKey(): Promise<void> {
    const { name, publicKey } = this.key.getRawValue();
    this.key.patchValue({ name: name?.trim() ?? '', publicKey: publicKey?.trim() ?? '' });
    const body = bodyOf(this.key, keySchema);
    if (!body) return;
    try {
      this.keys.set(await this.api.call(provision.addTrustedKey, { body }));
      this.key.reset({ name: '', publicKey: '' });
      this.aboutKeys.set(null);
    } catch (error) {
      this.aboutKeys.set(placeProblem(this.key, error));
    }
  }
  protected async dropKey(name: string): Promise<void> {
    try {
      this.keys.set(await this.api.call(provision.removeTrustedKey, { params: { name } }));
      this.aboutKeys.set(null);
    } catch (error) {
      this.aboutKeys.set(messageOf(error));
    }
  }
  protected size(bytes: number): string {
    return `${formatNumber(bytes / 1024, 0)} kB`;
  }
  protected when(ms: number): string {
    return dayAndTime(ms, this.site()?.timezone ?? 'UTC');
  }

  /** An upload that tells how far it is: `fetch` does not. */
  private send(manifest: Manifest, image: File): Promise<void> {
    return new Promise((resolve, reject) => {
      const request = new XMLHttpRequest();
      request.open('PUT', '/api/v1/firmware');
      request.setRequestHeader('content-type', 'application/octet-stream');
      request.setRequestHeader('x-image-manifest', btoa(String.fromCharCode(...new TextEncoder().encode(JSON.stringify(manifest)))));
      request.upload.onprogress = (event) => this.sent.set(event.total > 0 ? event.loaded / event.total : 0);
      request.onerror = () => reject(new Error('The server does not answer. Look whether it is running, and send the image again.'));
      request.onload = () => {
        if (request.status < 300) resolve();
        else
          reject(
            new Error((JSON.parse(request.responseText || '{}') as { detail?: string }).detail ?? `The server answered ${request.status}.`),
          );
      };
      this.sent.set(0);
      request.send(image);
    });
  }
}
