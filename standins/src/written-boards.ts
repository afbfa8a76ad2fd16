import { nodeConfigurationSchema } from '@dewpost/core/wire';
import { existsSync, mkdirSync, readFileSync, renameSync, writeFileSync } from 'node:fs';
import { dirname } from 'node:path';
import * as z from 'zod';
import { factoryFlash, type Flash } from './updater';

const slotSchema = z.object({
  firmware: z.string(),
  sha256: z.string(),
  whole: z.boolean(),
  offer: z.string().default(''),
  mute: z.boolean(),
  failed: z.boolean().default(false),
});
const flashSchema = z.object({
  boards: z.array(
    z.object({
      hardwareId: z.string(),
      board: z.string(),
      firmware: z.string(),
      firmwareSha256: z.string(),
      configuration: nodeConfigurationSchema,
      /** Of a leaf: the sequence that its store holds. */
      sequence: z.number().int().optional(),
      /** Its slots and marks, once an image has come over the air. */
      flash: z
        .object({
          copies: z.tuple([z.string(), z.string()]),
          slots: z.tuple([slotSchema.nullable(), slotSchema.nullable()]),
        })
        .optional(),
    }),
  ),
});
/** A board that was written: what its store and its slots hold. */
export type StoredBoard = z.infer<typeof flashSchema>['boards'][number];

/** What is saved within that is written once. */
const SOON_MS = 200;

/** The boards that were written, in a file: a restart is a power cut to them, and no more. */
export class WrittenBoards {
  private stored: StoredBoard[];
  private readonly flashes = new Map<string, Flash>();
  private saving: NodeJS.Timeout | null = null;

  constructor(private readonly file: string) {
    this.stored = existsSync(file) ? flashSchema.parse(JSON.parse(readFileSync(file, 'utf8'))).boards : [];
  }

  get boards(): readonly StoredBoard[] {
    return this.stored;
  }

  of(node: string): StoredBoard | undefined {
    return this.stored.find(({ configuration }) => configuration.node === node);
  }

  /** Takes the place of the board that was this node. */
  add(board: StoredBoard): void {
    this.stored = [...this.stored.filter((other) => other.configuration.node !== board.configuration.node), board];
    this.save();
  }

  /** What came over the air to it is gone: it is written whole. */
  erase(hardwareId: string): void {
    this.flashes.delete(hardwareId);
  }

  flashOf(board: StoredBoard): Flash {
    const { flash } = board;
    const known =
      this.flashes.get(board.hardwareId) ??
      (flash
        ? { copies: [fromHex(flash.copies[0]), fromHex(flash.copies[1])] as Flash['copies'], slots: flash.slots as Flash['slots'] }
        : factoryFlash(board.firmware, board.firmwareSha256));
    this.flashes.set(board.hardwareId, known);
    return known;
  }

  saveSoon(): void {
    this.saving ??= setTimeout(() => {
      this.saving = null;
      this.save();
    }, SOON_MS);
  }

  /** Saves now what waits to be saved. */
  flush(): void {
    if (!this.saving) return;
    clearTimeout(this.saving);
    this.saving = null;
    this.save();
  }

  private save(): void {
    for (const board of this.stored) {
      const flash = this.flashes.get(board.hardwareId);
      if (flash) board.flash = { copies: [toHex(flash.copies[0]), toHex(flash.copies[1])], slots: flash.slots };
    }
    mkdirSync(dirname(this.file), { recursive: true });
    const temporary = `${this.file}.new`;
    writeFileSync(temporary, JSON.stringify({ boards: this.stored }, null, 1), { mode: 0o600 });
    renameSync(temporary, this.file);
  }
}

const toHex = (bytes: Uint8Array): string => Buffer.from(bytes).toString('hex');
const fromHex = (text: string): Uint8Array => Uint8Array.from(Buffer.from(text, 'hex'));
