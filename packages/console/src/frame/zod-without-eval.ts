import { z } from 'zod';

// Must be the first import of the page: a schema that is made before this evaluates code, which the policy forbids.
z.config({ jitless: true });
