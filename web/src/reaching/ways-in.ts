import type { SourceLine } from '../parts/source-lines';

/** One way to come in from outside: what it is, what to set for this server, and what is dangerous about it. */
export interface WayIn {
  readonly id: string;
  readonly title: string;
  readonly about: string;
  readonly danger: string;
  readonly lines: readonly SourceLine[];
}

/** The three ways in, with the settings of this server. `name`: what it is to be called outside. */
export function waysIn({ httpPort, building, name }: { httpPort: number; building: string; name: string }): WayIn[] {
  const origin = `https://${name}`;
  const proxied = [
    `DEWPOST_PUBLIC_URL=${origin}`,
    'DEWPOST_TRUSTED_PROXIES=loopback   # or the address of the machine that the proxy runs on',
  ].join('\n');
  return [
    {
      id: 'own',
      title: 'A network of your own',
      about: 'the phone joins the building from afar (VPN)',
      danger: 'Whoever holds the phone is inside. Give each device a key of its own, and take it back when one is lost.',
      lines: [
        {
          title: 'At the router',
          about: 'what the phone may reach',
          text: `let the phone’s network reach ${building}, port ${httpPort}, and nothing else\nno port of the router leads to Dew Post`,
        },
        { title: 'Here', about: 'under which name', text: `DEWPOST_HOSTS=${building}` },
      ],
    },
    {
      id: 'proxy',
      title: 'A reverse proxy with TLS',
      about: 'another program takes https and hands on',
      danger: 'The sign-in page is open to the world then: long passwords for everybody, and updates without delay.',
      lines: [
        {
          title: 'At the proxy',
          about: 'what it hands on',
          text: [
            `forward ${origin} to http://${building}:${httpPort}`,
            'pass Host, X-Forwarded-For, X-Forwarded-Proto',
            'allow upgrades to WebSocket, no buffering of answers, bodies to 64 MB, 75 s without a word',
          ].join('\n'),
        },
        { title: 'Here', about: 'whose word is taken', text: proxied },
      ],
    },
    {
      id: 'tunnel',
      title: 'A tunnel',
      about: 'somebody else’s door, led in to this computer',
      danger: 'Its keeper can read everything that goes through, and it works only as long as they do.',
      lines: [
        { title: 'At the tunnel', about: 'where it ends', text: `lead ${origin} to http://127.0.0.1:${httpPort}` },
        { title: 'Here', about: 'whose word is taken', text: proxied },
      ],
    },
  ];
}

/** What needs a page that came by TLS (or from this very computer), and whether it works by an address. */
export const NEEDS_TLS = ['Camera, to scan labels', 'Serial port, to write boards', 'Notifications'] as const;
export type Works = 'works' | 'page is not TLS' | 'not till the phone trusts the authority' | 'unknown till it is reached';

export function worksBy(need: (typeof NEEDS_TLS)[number], address: { tls: boolean; reach: string; ownAuthority: boolean }): Works {
  if (address.reach === 'computer') return 'works';
  if (!address.tls) return 'page is not TLS';
  if (address.reach === 'outside') return 'unknown till it is reached';
  return need === 'Notifications' && address.ownAuthority ? 'not till the phone trusts the authority' : 'works';
}
