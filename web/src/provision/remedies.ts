/** A failure in words: what happened, the likely cause, the next thing to try. */
export interface Remedy {
  what: string;
  cause: string;
  next: string;
  /** The network's passphrase is worth changing. */
  network?: boolean;
}

const REMEDIES: Record<string, Remedy> = {
  'wrong-passphrase': {
    what: 'The network refused the passphrase.',
    cause: 'The passphrase kept here is not the router’s: mistyped, a stray space, or changed at the router.',
    next: 'Type it anew under Network, then write the node again. Nothing else needs changing.',
    network: true,
  },
  'name-not-found': {
    what: 'The node heard no network of this name.',
    cause: 'The name differs in a letter, the network is down or out of reach, or it is 5 GHz only.',
    next: 'Look at the name under Network and whether the router is on, then write the node again.',
    network: true,
  },
  'broker-refused': {
    what: 'The node joined, but the broker refused its key.',
    cause: 'The node was given another key after this one was written.',
    next: 'Write it again: it gets the key that is in force.',
  },
  'broker-unreachable': {
    what: 'The node joined, but cannot reach the broker.',
    cause: 'The address nodes are told is not this computer’s, or a firewall is between them.',
    next: 'Look at DEWPOST_ADDRESS and DEWPOST_BIND, then write the node again.',
  },
  digestMismatch: {
    what: 'What the board read back is not what was sent.',
    cause: 'A bit flipped on the cable or in the board’s flash: a long or poor USB cable, or a worn flash.',
    next: 'Write it again. If it happens twice, change the cable, then the board.',
  },
  noAnswer: {
    what: 'The board does not answer.',
    cause: 'A cable without data wires, the wrong port, or a board that is not in its loader.',
    next: 'Unplug it, wait a few seconds, plug it in and try again; then try another cable.',
  },
  portLost: {
    what: 'The port was lost under way.',
    cause: 'The cable was pulled, or the board lost its supply.',
    next: 'Plug it in again and write it again: a write always begins at the beginning.',
  },
  'board-known': {
    what: 'This board is known under another name.',
    cause: 'A board that was written before is plugged in.',
    next: 'Plug in another board, or write the node it belongs to.',
  },
  'no-join': {
    what: 'The node joined nothing in 120 s.',
    cause: 'The network is out of reach, 5 GHz only, or gives out no address.',
    next: 'Bring the node nearer to the access point and write it again.',
  },
  tooLarge: {
    what: 'The image does not fit the board.',
    cause: 'The firmware was made for a board with a larger slot.',
    next: 'Choose firmware made for this board.',
  },
};

/** The remedy for a code; one that is not known says what was seen. */
export function remedyFor(code: string, evidence: string): Remedy {
  return (
    REMEDIES[code] ?? {
      what: evidence || 'It stopped.',
      cause: 'Not one of the causes known here; the log beside has the evidence.',
      next: 'Try once more, and look at the last lines of the log.',
    }
  );
}
