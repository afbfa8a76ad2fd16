import type { Me } from '@dewpost/contract';
import type { NodeEntry } from '../model/entries';

declare global {
  namespace Express {
    interface Request {
      /** The share link whose cookie came with this request. */
      shareId?: number | null;
      /** The account that is signed in, as it is now. */
      me?: Me | null;
      /** The node whose key came with this request. */
      node?: NodeEntry;
    }
  }
}
