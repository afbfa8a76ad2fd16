import type { Express } from 'express';

interface Layer {
  route?: { path: string; stack: { method?: string }[] };
  handle?: { stack?: Layer[] };
}

/** Every route of the application as `METHOD path`, those of mounted routers too; middleware that answers by itself is not among them. */
export function routesOf(app: Express): string[] {
  const found = new Set<string>();
  const walk = (layers: readonly Layer[]): void => {
    for (const { route, handle } of layers) {
      for (const { method } of route?.stack ?? []) if (route && method) found.add(`${method.toUpperCase()} ${route.path}`);
      if (handle?.stack) walk(handle.stack);
    }
  };
  walk((app.router as unknown as { stack: Layer[] }).stack);
  return [...found].sort();
}
