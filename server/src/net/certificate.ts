import { createPrivateKey, X509Certificate } from 'node:crypto';
import { readFileSync, statSync } from 'node:fs';
import { checkServerIdentity, createSecureContext, type PeerCertificate, type SecureContextOptions, type Server } from 'node:tls';
import type { Logger } from 'pino';
import { bareHost } from './internal';

/** TLS 1.3 suites, then those of TLS 1.2 with forward secrecy and authenticated encryption (OWASP Transport Layer Security Cheat Sheet). */
const CIPHERS = [
  'TLS_AES_256_GCM_SHA384',
  'TLS_CHACHA20_POLY1305_SHA256',
  'TLS_AES_128_GCM_SHA256',
  'ECDHE-ECDSA-AES256-GCM-SHA384',
  'ECDHE-RSA-AES256-GCM-SHA384',
  'ECDHE-ECDSA-CHACHA20-POLY1305',
  'ECDHE-RSA-CHACHA20-POLY1305',
  'ECDHE-ECDSA-AES128-GCM-SHA256',
  'ECDHE-RSA-AES128-GCM-SHA256',
].join(':');
const LOOK_MS = 10_000;
const DAY_MS = 86_400_000;

export interface CertificateFiles {
  readonly certificate: string;
  readonly key: string;
}

/** What is to be known of a certificate: for whom, until when, its fingerprint (SHA-256, as nodes are told it). */
export interface CertificateFacts {
  readonly names: string[];
  readonly from: number;
  readonly until: number;
  readonly fingerprint: string;
  readonly issuer: string;
}

/** The certificate of both doors with TLS. It is read again when its files change, and sessions that stand go on. */
export class Certificate {
  private readonly servers = new Set<Server>();
  private options: SecureContextOptions;
  private certificate: X509Certificate;
  private stamp: string;
  private timer: NodeJS.Timeout | null = null;
  /** Why the files as they are now could not be taken; what was read before stays in force. */
  problem: string | null = null;

  /** Throws, naming the file, where certificate and key cannot be used together. */
  constructor(
    private readonly files: CertificateFiles,
    private readonly log: Logger,
  ) {
    this.stamp = this.stampOf();
    ({ options: this.options, certificate: this.certificate } = this.read());
  }

  facts(): CertificateFacts {
    const read = this.certificate;
    const names = (read.subjectAltName ?? '').split(/,\s*/).map((name) => name.replace(/^(DNS|IP Address):/, ''));
    return {
      names: names.filter(Boolean),
      from: Date.parse(read.validFrom),
      until: Date.parse(read.validTo),
      fingerprint: read.fingerprint256,
      issuer: read.issuer.replace(/\n/g, ', '),
    };
  }

  /** Does it name this host, as a client would judge? */
  isFor(name: string): boolean {
    return checkServerIdentity(bareHost(name), this.certificate.toLegacyObject() as PeerCertificate) === undefined;
  }

  /** Days that are left; negative: expired. */
  daysLeft(now: number): number {
    return Math.floor((this.facts().until - now) / DAY_MS);
  }

  /** Serves a TLS server with this certificate, and with each that follows it. */
  readonly serve = (server: Server): void => {
    this.servers.add(server);
    server.setSecureContext(this.options);
  };

  watch(): void {
    this.timer = setInterval(() => this.look(), LOOK_MS);
    this.timer.unref();
  }

  stop(): void {
    if (this.timer) clearInterval(this.timer);
  }

  /** Reads the files again if they have changed. What cannot be used is said, and what was in force stays so. */
  look(): void {
    try {
      const stamp = this.stampOf();
      if (stamp === this.stamp) return;
      this.stamp = stamp;
      ({ options: this.options, certificate: this.certificate } = this.read());
      for (const server of this.servers) server.setSecureContext(this.options);
      this.problem = null;
      this.log.info({ until: new Date(this.facts().until) }, 'the certificate was read anew; connections that stand go on');
    } catch (error) {
      this.problem = error instanceof Error ? error.message : String(error);
      this.log.error({ err: error }, 'the certificate could not be read anew; the one before stays in force');
    }
  }

  private stampOf(): string {
    return [this.files.certificate, this.files.key]
      .map((file) => {
        const { mtimeMs, size } = statSync(file);
        return `${mtimeMs} ${size}`;
      })
      .join(' ');
  }

  private read(): { options: SecureContextOptions; certificate: X509Certificate } {
    const options: SecureContextOptions = {
      cert: readFileSync(this.files.certificate),
      key: readFileSync(this.files.key),
      minVersion: 'TLSv1.2',
      ciphers: CIPHERS,
      honorCipherOrder: true,
    };
    try {
      // Fails where the key is another's.
      createSecureContext(options);
      const certificate = new X509Certificate(options.cert as Buffer);
      if (!certificate.checkPrivateKey(createPrivateKey(options.key as Buffer)))
        throw new Error('the key is not the one of this certificate');
      return { options, certificate };
    } catch (error) {
      throw new Error(
        `The certificate in ${this.files.certificate} cannot be used with the key in ${this.files.key}: ${error instanceof Error ? error.message : String(error)}`,
        { cause: error },
      );
    }
  }
}
