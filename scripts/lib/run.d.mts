import type { ChildProcess, SpawnOptions } from 'node:child_process';
export const root: string;
export const SERVER: string[];
export function run(command: string, args: string[], options?: SpawnOptions): Promise<void>;
export function output(command: string, args: string[], options?: SpawnOptions): Promise<string>;
export function service(
  args: string[],
  options: { env: Record<string, string>; ready: RegExp; show?: (text: string) => void },
): { child: ChildProcess; started: Promise<RegExpExecArray>; stop(): Promise<void> };
export function portIsFree(port: number): Promise<boolean>;
export function freePort(): Promise<number>;
