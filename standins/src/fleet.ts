import type { AirMishap, NodeMishap, NodeMishaps, PortMishap } from '@dewpost/core/mishaps';
import { type NodeConfiguration } from '@dewpost/core/wire';
import type { RomFamily } from '@dewpost/core/rom-loader';
import { dirname, join } from 'node:path';
import { Backlog } from './backlog';
import { Battery } from './battery';
import { StandinBoard } from './board';
import { RomBoard } from './rom-board';
import { LeafNode } from './leaf-node';
import { Networks } from './network';
import { Room } from './room';
import { NodePage } from './node-page';
import type { BootLog } from './node-joining';
import { SimulatedNode } from './simulated-node';
import type { World } from './world';
import { WrittenBoards, type StoredBoard } from './written-boards';

const CONTACT = /^(open|closed|float|motion|presence|wet)(-\d+)?$/;
/** Chips of the boards that stand in, and what they hold: as the made-up images for them are laid out. */
const FAMILIES: Readonly<Record<string, RomFamily>> = {
  'wifi-single-small': 'rom-slip-1',
  'wifi-compact-22': 'rom-slip-3',
  'wifi-camera-less-44': 'rom-slip-3',
};
const FLASH_BYTES = 4 * 1024 * 1024;
const CONFIGURATION_AT = 0x3f_0000;
/** A board that was written whole says no digest of one slot: it is told one over the air when there is another image. */
const FIRST_SHA256 = '0'.repeat(64);

/** A serial port with a board on it; once that board runs as a node, the next blank one takes its place when the port is opened. */
interface Port {
  id: number;
  board: StandinBoard | null;
  /** A board fresh from the shop sits there: only its chip's boot loader answers. */
  fresh: RomBoard | null;
  mishap: PortMishap;
  open: boolean;
}

/** All stand-in boards: those already written run as nodes, those at the ports wait to be written. What is written survives a restart. */
export class Fleet {
  readonly networks: Networks;
  readonly ports: Port[];
  /** What goes wrong with images over the air, at every node. */
  airMishap: AirMishap = 'none';
  private readonly nodes = new Map<string, SimulatedNode | LeafNode>();
  /** What runs on a board that is still at a port. */
  private readonly onBench = new Map<string, SimulatedNode | LeafNode>();
  private readonly pages = new Map<string, NodePage>();
  private readonly rooms = new Map<string, Room>();
  private readonly written: WrittenBoards;

  constructor(
    private readonly world: World,
    private readonly flashFile: string,
  ) {
    this.networks = new Networks(world.networks);
    this.ports = Array.from({ length: world.ports }, (_, i) => ({
      id: i + 1,
      board: null,
      fresh: null,
      mishap: 'none' as const,
      open: false,
    }));
    this.written = new WrittenBoards(flashFile);
  }

  start(): void {
    for (const board of this.written.boards) this.run(board);
  }

  stop(): void {
    this.written.flush();
    for (const node of this.nodes.values()) node.stop();
  }

  list(): { node: string; room: string; connected: boolean; mishaps: NodeMishaps; contacts: string[] }[] {
    return [...this.nodes.values()].map((node) => ({
      node: node.node,
      room: node.configuration.room,
      connected: node.connected,
      mishaps: node.mishaps,
      // What can be opened and closed by hand.
      contacts: node.configuration.points.filter(({ name, unit }) => unit === '' && CONTACT.test(name)).map(({ name }) => name),
    }));
  }

  /** The page that a node serves itself. */
  pageOf(node: string): NodePage | undefined {
    return this.pages.get(node);
  }

  /** Makes something go wrong with a node, or ends it; false when there is no such node. */
  setMishap(name: string, kind: NodeMishap, on: boolean): boolean {
    const node = this.nodes.get(name);
    node?.setMishap(kind, on);
    return node !== undefined;
  }

  /** The board at a port; a blank one where there is none, or where the last one has been written. */
  boardAt(port: Port, profile: string): StandinBoard {
    // Whoever plugs in takes the board that the node wants in hand.
    if (port.board && port.board.profile !== profile) port.board = null;
    port.board ??= new StandinBoard(profile, {
      bytesPerSecond: this.world.bytesPerSecond,
      enter: (board) => this.onBench.get(board.hardwareId)?.stop(),
      boot: (board, configuration, firmware) => this.boot(port, board, configuration, firmware),
    });
    port.board.mishap = port.mishap;
    // For one write: the next finds nothing wrong.
    port.mishap = 'none';
    return port.board;
  }

  /** A port was opened: what was asked to go wrong goes wrong until it is closed, once. */
  opened(port: Port, profile: string): void {
    const { mishap } = port;
    const fresh = this.freshAt(port, profile);
    if (!fresh) return;
    fresh.mishap = mishap.startsWith('fresh') ? mishap : 'fresh';
    port.mishap = 'fresh';
  }

  /** The board fresh from the shop at a port, where one was asked for or sits there from before; `null`: the boards there hold our loader. */
  freshAt(port: Port, profile: string): RomBoard | null {
    if (!port.mishap.startsWith('fresh') && !port.fresh) return null;
    const family = FAMILIES[profile] ?? 'rom-slip-2';
    port.fresh ??= new RomBoard({
      family,
      flashBytes: FLASH_BYTES,
      bytesPerSecond: this.world.bytesPerSecond,
      configurationAt: CONFIGURATION_AT,
      boot: (configuration) => {
        // From now on it is a board like any other, and runs what was written.
        port.fresh = null;
        port.mishap = 'none';
        const board = this.boardAt(port, profile);
        // Once the port hears it.
        queueMicrotask(() => board.startWith(configuration, { version: '1.0.0', sha256: FIRST_SHA256 }));
      },
    });
    return port.fresh;
  }

  /**
   * Listens at a port as at a board that runs: the ports have the fleet's nodes in order. `says` gets its console's lines; gives what resets
   * the board, and what ends the listening; `null`: no board of a node is there.
   */
  listenAt(port: Port, says: (line: string) => void): { reset(): void; end(): void } | null {
    const [name, node] = [...this.nodes].filter(([, one]) => one instanceof SimulatedNode)[port.id - 1] ?? [];
    if (name === undefined || !(node instanceof SimulatedNode)) return null;
    let begun = performance.now();
    const line = (tag: string, text: string): void => says(`${((performance.now() - begun) / 1000).toFixed(3)} ${tag} ${text}\r\n`);
    const hears = (): void => {
      const running = this.nodes.get(name);
      if (running instanceof SimulatedNode) running.console = line;
    };
    hears();
    return {
      reset: () => {
        const board = this.written.of(name);
        if (!board) return;
        begun = performance.now();
        // As chips do before anybody's firmware runs.
        says('rst:0x1 (POWERON),boot:0x13\r\nmode:DIO, clock div:2\r\nload:0x3fff0030,len:1184\r\nentry 0x400805e4\r\n');
        line('boot', `${board.firmware}, cold start`);
        line('conf', `configuration read, key ••••••, node ${name}`);
        this.run(board, { mishap: 'none', bootLog: line });
        hears();
      },
      end: () => {
        const running = this.nodes.get(name);
        if (running instanceof SimulatedNode) running.console = null;
      },
    };
  }

  private boot(port: Port, board: StandinBoard, configuration: NodeConfiguration, firmware: { version: string; sha256: string }): void {
    const { mishap } = board;
    board.mishap = 'none';
    const entry: StoredBoard = {
      hardwareId: board.hardwareId,
      firmware: `dewnode ${firmware.version}`,
      firmwareSha256: firmware.sha256,
      board: board.profile,
      configuration,
    };
    this.written.erase(board.hardwareId);
    this.run(entry, {
      mishap,
      bootLog: (tag, text, code, heard) => {
        board.log(tag, text, code, heard);
        if (code !== 'joined') return;
        // On the network: the board leaves the bench, and stays written.
        if (port.board === board) port.board = null;
        this.written.add(entry);
      },
    });
  }

  private run(board: StoredBoard, bench?: { mishap: PortMishap; bootLog: BootLog }): void {
    const { configuration } = board;
    this.nodes.get(configuration.node)?.stop();
    if (configuration.via) return this.runLeaf(board, bench?.bootLog);
    const node = new SimulatedNode(configuration, {
      hardwareId: board.hardwareId,
      board: board.board,
      flash: this.written.flashOf(board),
      trialMs: this.world.trialMs,
      patience: this.world.patience,
      airMishap: () => this.airMishap,
      keep: () => this.written.saveSoon(),
      room: this.roomOf(configuration.room),
      backlog: this.backlogOf(board, bench !== undefined),
      battery: this.batteryOf(configuration.sheet),
      networks: this.networks,
      joinMs: this.world.joinMs,
      noise: this.world.noise,
      signals: this.world.signals,
      levelDbm: this.world.levels[configuration.node],
      ...bench,
    });
    this.nodes.set(configuration.node, node);
    if (bench) this.onBench.set(board.hardwareId, node);
    this.pages.set(configuration.node, new NodePage(node));
    node.start();
  }

  /** The store of a board for what does not get through; written as a node anew it begins empty. */
  private backlogOf(board: StoredBoard, written: boolean): Backlog {
    const backlog = new Backlog(join(dirname(this.flashFile), 'backlog', `${board.hardwareId}.jsonl`));
    if (written) backlog.clear();
    return backlog;
  }

  private roomOf(name: string): Room {
    const known = this.rooms.get(name);
    if (known) return known;
    const room = new Room(this.world.rooms[name] ?? this.world.elsewhere, Date.now(), this.rooms.size);
    this.rooms.set(name, room);
    return room;
  }

  private batteryOf(sheet: string): Battery | null {
    const range = this.world.batteries[sheet];
    return range ? new Battery(1200, 0.4, 0.9, range) : null;
  }

  private runLeaf(board: StoredBoard, bootLog?: BootLog): void {
    const { configuration } = board;
    const leaf = new LeafNode(configuration, {
      hardwareId: board.hardwareId,
      firmware: board.firmware,
      firmwareSha256: board.firmwareSha256,
      room: this.roomOf(configuration.room),
      battery: this.batteryOf(configuration.sheet),
      networks: this.networks,
      joinMs: this.world.joinMs,
      signals: this.world.signals,
      levelDbm: this.world.levels[configuration.node],
      kept: () => board.sequence ?? 0,
      keep: (sequence) => {
        board.sequence = sequence;
        this.written.saveSoon();
      },
      bootLog,
    });
    this.nodes.set(configuration.node, leaf);
    if (bootLog) this.onBench.set(board.hardwareId, leaf);
    this.pages.delete(configuration.node);
    leaf.start();
  }

  /** A contact of a node is moved by hand; false when there is no such node or point. */
  act(node: string, point: string, value: number): boolean {
    return this.nodes.get(node)?.act(point, value) ?? false;
  }
}
