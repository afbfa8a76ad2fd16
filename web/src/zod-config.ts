import * as z from 'zod';

// The content policy forbids code made from text, which zod would otherwise try when the first schema is made. An entry
// of its own (angular.json, polyfills): bundled with main, it would run after the chunks that hold the schemas.
z.config({ jitless: true });
