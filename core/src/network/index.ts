export * from './credentials';
export * from './ipv4';
