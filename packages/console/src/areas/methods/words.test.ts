import { OFFERED_METHODS, offeredSpec } from '@nimble-latch/api';
import { describe, expect, it } from 'vitest';
import { de } from './messages/de.js';
import { en } from './messages/en.js';

describe('the words of the method settings', () => {
  it('are there for every parameter of every method: a matrix says nothing that nobody can read', () => {
    for (const method of OFFERED_METHODS) {
      // What is said of keys has sentences of its own, by value.
      if (method === 'webauthn') continue;
      for (const name of Object.keys(offeredSpec(method).parameters))
        for (const words of [en, de])
          if (name !== 'first' && name !== 'notBySelf')
            expect((words.methodSettings.parameters as Record<string, string>)[name], `${method} ${name}`).toBeTruthy();
    }
  });
});
