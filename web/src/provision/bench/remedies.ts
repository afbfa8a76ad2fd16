/** A failure in words: what happened, the likely cause, the next thing to try. */
export interface Remedy {
  what: string;
  cause: string;
  next: string;
  /** The network's passphrase is worth changing. */
  network?: boolean;
}

const REMEDIES: Record<string, Remedy> = {
  'no-boot-mode': {
    what: 'The chip’s boot loader did not answer; the board was not touched.',
    cause: 'The board does not come into its boot loader by itself, or the cable has no data wires.',
    next: 'Hold the BOOT button, press RST once, let go of BOOT when the log says erasing, and write it again. Nothing at all in the log: try another cable.',
  },
  'other-family': {
    what: 'This is another chip than the board of the sheet has; the board was not touched.',
    cause: 'A board that looks alike, or a board profile that is wrong.',
    next: 'Choose the right board on the build sheet, or plug in the board of the sheet.',
  },
  'silent-after-sync': {
    what: 'The boot loader greeted and then fell silent.',
    cause: 'A long or thin cable, a weak port, or a line that is too fast for the board’s serial chip.',
    next: 'Plug it straight into the computer with a short cable and write it again.',
  },
  'flash-too-small': {
    what: 'The image is larger than the flash of this board.',
    cause: 'A board with a smaller flash than its profile says.',
    next: 'Look at what is printed on its module, and choose the board profile with that flash.',
  },
  refused: {
    what: 'The boot loader refused what was asked.',
    cause: 'The flash is smaller than the profile says, or the board is locked.',
    next: 'Look at the size of its flash on the module; a locked board cannot be written with anything of ours.',
  },
  checksum: {
    what: 'What came to the board was spoiled on the way, again and again.',
    cause: 'A bad cable or plug, or a hub in between.',
    next: 'Plug it straight into the computer with a short cable and write it again.',
  },
  'digest-differs': {
    what: 'The chip reads something else back than was written.',
    cause: 'A worn or faulty flash, or a supply that sags while it writes.',
    next: 'Power the board from a stronger port and write it again. Differs again: the board is faulty.',
  },
  'port-taken': {
    what: 'The port did not open; the board was not touched.',
    cause: 'Another program or page on this computer holds it, or this account may not use serial ports.',
    next: 'Close the other program. On Linux the account has to be in the group dialout. No port at all: another cable, or the serial chip’s driver is missing.',
  },
  'no-first-image': {
    what: 'The board holds nothing of ours, and there is no image in parts for it.',
    cause: 'A board fresh from the shop is written whole: what loads the image, where it lies, the image itself.',
    next: 'Put an image whose manifest names its parts into the library under Firmware, or choose Written elsewhere at the node.',
  },
  'wrong-passphrase': {
    what: 'The network refused the passphrase.',
    cause: 'The passphrase kept here is not the router’s: mistyped, a stray space, or changed at the router.',
    next: 'Type it anew under Network, then write the node again. Nothing else needs changing.',
    network: true,
  },
  'name-not-found': {
    what: 'The node heard no network of the name that it tried.',
    cause: 'The name differs in a letter, the network is down or out of reach, or it is 5 GHz only.',
    next: 'Look at the name under Network and whether the router is on, then write the node again.',
    network: true,
  },
  'stray-space': {
    what: 'The node heard no network of the name that it tried, but one that differs by a space.',
    cause: 'A space before or behind the name, here or at the router.',
    next: 'Type the name anew under Network exactly as the router sends it, then write the node again.',
    network: true,
  },
  'other-letters': {
    what: 'The node heard no network of the name that it tried, but one spelt nearly the same.',
    cause: 'Capitals, hyphens or spaces differ: names are compared letter by letter.',
    next: 'Copy the name from the router’s own page under Network, then write the node again.',
    network: true,
  },
  'five-gigahertz': {
    what: 'The node heard no network of the name that it tried.',
    cause: 'That network is sent on 5 GHz only; small boards hear 2.4 GHz.',
    next: 'Switch 2.4 GHz on at the router, or give the name of its 2.4 GHz network.',
    network: true,
  },
  'hidden-name': {
    what: 'The node heard no network of the name that it tried, and a strong one without a name.',
    cause: 'The router hides its name: most boards’ first scan does not find it then.',
    next: 'Tick “hidden” beside the network under Plan, Addresses and keys, and write the node again; or let the router show its name: hiding it protects nothing.',
  },
  'weak-signal': {
    what: 'The node hears the network too weakly to join.',
    cause: 'Distance, walls or metal between; or the antenna is not fitted.',
    next: 'Look at the antenna. Bring the node nearer, or plan an access point for it under Plan, Site plan.',
  },
  'no-address': {
    what: 'The node joined, and got no address.',
    cause: 'The router’s address server is off, full, or lets in only stations it knows.',
    next: 'Look at the router’s address range and its list of stations, or give fixed addresses under Plan, Addresses.',
  },
  'address-taken': {
    what: 'The node joined, and somebody else has its address.',
    cause: 'A fixed address that the router also gives out, or a second node written with it.',
    next: 'Take fixed addresses out of the router’s range under Plan, Addresses, then write the node again.',
  },
  'clock-not-set': {
    what: 'The node joined, and could not set its clock.',
    cause: 'The time server cannot be reached: a firewall, or no way out of the building.',
    next: 'Let it reach a time server, or run one on this computer; its outputs stay off until then.',
  },
  'name-clash': {
    what: 'The node joined, and another of its name takes its session over and over.',
    cause: 'Two boards were written as this node, or an old one still has power.',
    next: 'Find the other one (its lamp blinks from its page) and take its supply, or revoke its key under Configurations.',
  },
  'backing-off': {
    what: 'The node found none of its networks and went to sleep.',
    cause: 'It lives on a battery: it tries for 10 s and then sleeps, twice as long each time, six hours at most.',
    next: 'Put the network right, then wake it (its button, or its supply out and in).',
  },
  'brown-out': {
    what: 'The board starts over and over: its supply breaks down at the radio’s first burst.',
    cause: 'A thin or long USB cable, a weak port, or a load on the board’s own supply.',
    next: 'Another cable, another port, and everything but the board unplugged; then write it again.',
  },
  'stuck-erasing': {
    what: 'The board began to erase its slot and said nothing more.',
    cause: 'A worn or locked flash, or a supply that sags while it erases.',
    next: 'Unplug it for ten seconds and write it again; if it sticks again, try another board.',
  },
  'wrong-board': {
    what: 'This is another board than the sheet asks for.',
    cause: 'A board of another kind is plugged in.',
    next: 'Plug in the board of the sheet, or change the sheet.',
  },
  windowClosed: {
    what: 'The gateway takes no settings any more.',
    cause: 'It takes them only in its first minutes after power-up.',
    next: 'Take its supply out and in, and write it again at once.',
  },
  storeFull: {
    what: 'The board has no room for its configuration.',
    cause: 'An old or foreign content fills its store, or the sheet has more points than the board can hold.',
    next: 'Erase the board’s store with the tool its loader came with, then write it again; or divide the sheet.',
  },
  'supply-low': {
    what: 'The supply gives too little while the radio sends.',
    cause: 'Cells that are empty, cold or of another chemistry, or a thin wire to them.',
    next: 'Put in fresh cells of the kind on the sheet, measure at the board, then write the node again.',
  },
  'no-readings': {
    what: 'The node has made contact, and sends no values of a sensor.',
    cause: 'The sensor is not connected, or its firmware does not read it.',
    next: 'Try its part as the list beside says, look at its wires against the sheet, then write the node again.',
  },
  'no-read-back': {
    what: 'The node has made contact, and an output does not say how it stands.',
    cause: 'Its read-back contact is not wired, or its firmware does not answer commands.',
    next: 'Measure the read-back contact against the sheet, look at the serial log, then write the node again.',
  },
  'output-reads-on': {
    what: 'An output reads on after it was told to go off.',
    cause: 'Its contact hangs, its driver is active at the other level, or its read-back is wired to the other contact.',
    next: 'Take the load’s supply away first. Then look at the module’s jumper and at the contact against the sheet.',
  },
  'image-gone': {
    what: 'The image could not be fetched from the library.',
    cause: 'It was taken out of the library, or its file is not there any more.',
    next: 'Choose another image under Images and checks, or put it into the library again.',
  },
  'no-contact': {
    what: 'The node joined its network, and never said hello.',
    cause: 'A firewall between it and the broker, firmware that speaks another protocol, or a supply that gave up.',
    next: 'Look at its serial log and at the broker’s address under Configurations, then write it again.',
  },
  'out-of-range': {
    what: 'A sensor says what it cannot measure.',
    cause: 'It is not connected, wired to the wrong pin, or broken.',
    next: 'Look at its wires and its supply against the sheet, then write the node again.',
  },
  'stuck-at-zero': {
    what: 'A sensor says nothing but nought.',
    cause: 'Its wire is off, or the pin reads ground.',
    next: 'Look at its signal wire and the pin on the sheet, then write the node again.',
  },
  'full-scale': {
    what: 'A sensor stands at the end of its scale.',
    cause: 'Its signal lies on the supply, or it has not measured yet.',
    next: 'Look for a short to the supply and a missing ground, then write the node again.',
  },
  'too-noisy': {
    what: 'A sensor jumps more than a sensor does.',
    cause: 'A loose wire, a missing pull-up, or a cable beside a mains line.',
    next: 'Tug at each wire, look at the pull-up, and write the node again.',
  },
  air: {
    what: 'The image did not come through over the air.',
    cause: 'It says which step stopped; the node runs the image it had.',
    next: 'See Rollouts, or write it here over its cable.',
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
    next: 'Plug it in again and write it again: it goes on from the byte where it stopped.',
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
  badOrder: {
    what: 'The board was asked for a step before the one it is at.',
    cause: 'It restarted under way, or another program speaks to the same port.',
    next: 'Close what else uses the port, then write it again: it goes on from what it holds.',
  },
  badOffset: {
    what: 'The board lost its place in the image.',
    cause: 'It restarted under way, or pieces came twice on a poor cable.',
    next: 'Another cable, then write it again: it says itself from where.',
  },
  badConfiguration: {
    what: 'The board cannot read its configuration.',
    cause: 'Its loader is older than this configuration, or speaks another format.',
    next: 'Renew the loader with the tool it came with, then write the node again.',
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
