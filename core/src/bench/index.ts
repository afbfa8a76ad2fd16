export { listenForJoin, type JoinHeard, type JoinWatch } from './join';
export { boardSits, turnAt, waitsFor, type BenchJob } from './turns';
