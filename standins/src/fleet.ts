import { nodeConfigurationSchema, type NodeConfiguration } from '@dewpost/core/wire';
import { existsSync, mkdirSync, readFileSync, renameSync, writeFileSync } from 'node:fs';
import { dirname } from 'node:path';
import * as z from 'zod';
import { Battery } from './battery';
import { StandinBoard, type PortMishap } from './board';
import { Networks } from './network';
import { Room } from './room';
import { SimulatedNode, type NodeMishaps } from './simulated-node';
import type { World } from './world';

const flashSchema = z.object({
  boards: z.array(
    z.object({
      hardwareId: z.string(),
      firmware: z.string(),
      firmwareSha256: z.string().optional(),
      configuration: nodeConfigurationSchema,
    }),
  ),
});
type StoredBoard = z.infer<typeof flashSchema>['boards'][number];

/** A serial port with a board on it; once that board runs as a node, the next blank one takes its place when the port is opened. */
interface Port {
  id: number;
  board: StandinBoard | null;
  mishap: PortMishap;
  open: boolean;
}

/** All stand-in boards: those already written run as nodes, those at the ports wait to be written. What is written survives a restart. */
export class Fleet {
  readonly networks: Networks;
  readonly ports: Port[];
  private readonly nodes = new Map<string, SimulatedNode>();
  private readonly rooms = new Map<string, Room>();
  private stored: StoredBoard[];

  constructor(
    private readonly world: World,
    private readonly flashFile: string,
  ) {
    this.networks = new Networks(world.networks);
    this.ports = Array.from({ length: world.ports }, (_, i) => ({ id: i + 1, board: null, mishap: 'none' as const, open: false }));
    this.stored = existsSync(flashFile) ? flashSchema.parse(JSON.parse(readFileSync(flashFile, 'utf8'))).boards : [];
  }

  start(): void {
    for (const board of this.stored) this.run(board);
  }

  stop(): void {
    for (const node of this.nodes.values()) node.stop();
  }

  list(): { node: string; room: string; connected: boolean; mishaps: NodeMishaps }[] {
    return [...this.nodes.values()].map((node) => ({
      node: node.node,
      room: node.configuration.room,
      connected: node.connected,
      mishaps: node.mishaps,
    }));
  }

  /** Makes something go wrong with a node, or ends it; false when there is no such node. */
  setMishap(name: string, kind: keyof NodeMishaps, on: boolean): boolean {
    const node = this.nodes.get(name);
    node?.setMishap(kind, on);
    return node !== undefined;
  }

  /** The board at a port; a blank one where there is none, or where the last one has been written. */
  boardAt(port: Port): StandinBoard {
    port.board ??= new StandinBoard({
      bytesPerSecond: this.world.bytesPerSecond,
      boot: (board, configuration, firmware) => this.boot(port, board, configuration, firmware),
    });
    port.board.mishap = port.mishap;
    return port.board;
  }

  private boot(port: Port, board: StandinBoard, configuration: NodeConfiguration, firmware: { version: string; sha256: string }): void {
    const refuseJoin = port.mishap === 'passphrase';
    port.mishap = 'none';
    board.mishap = 'none';
    const entry: StoredBoard = {
      hardwareId: board.hardwareId,
      firmware: `dewnode ${firmware.version}`,
      firmwareSha256: firmware.sha256,
      configuration,
    };
    this.run(entry, {
      refuseJoin,
      bootLog: (tag, text, code) => {
        board.log(tag, text, code);
        if (code !== 'joined') return;
        // On the network: the board leaves the bench, and stays written.
        if (port.board === board) port.board = null;
        this.stored = [...this.stored.filter((other) => other.configuration.node !== configuration.node), entry];
        this.save();
      },
    });
  }

  private run(board: StoredBoard, bench?: { refuseJoin: boolean; bootLog: (tag: string, text: string, code?: string) => void }): void {
    const { configuration } = board;
    this.nodes.get(configuration.node)?.stop();
    const node = new SimulatedNode(configuration, {
      hardwareId: board.hardwareId,
      firmware: board.firmware,
      firmwareSha256: board.firmwareSha256,
      room: this.roomOf(configuration.room),
      battery: new Battery(1200, 0.4, 0.9),
      networks: this.networks,
      joinMs: this.world.joinMs,
      noise: this.world.noise,
      signals: this.world.signals,
      levelDbm: this.world.levels[configuration.node],
      ...bench,
    });
    this.nodes.set(configuration.node, node);
    node.start();
  }

  private roomOf(name: string): Room {
    const known = this.rooms.get(name);
    if (known) return known;
    const room = new Room(this.world.rooms[name] ?? this.world.elsewhere, Date.now(), this.rooms.size);
    this.rooms.set(name, room);
    return room;
  }

  private save(): void {
    mkdirSync(dirname(this.flashFile), { recursive: true });
    const temporary = `${this.flashFile}.new`;
    writeFileSync(temporary, JSON.stringify({ boards: this.stored }, null, 1), { mode: 0o600 });
    renameSync(temporary, this.flashFile);
  }
}
