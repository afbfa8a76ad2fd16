import * as z from 'zod';

// The content policy forbids code made from text, which zod would otherwise try before the first schema is made.
z.config({ jitless: true });
