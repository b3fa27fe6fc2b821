import type { Answer } from '../routes/index.js';
import type { Catalogue } from './en.js';
import { say } from './say.js';

/** An entry of the trail as a sentence, with the names that its ids have today. */
export function sayEntry(words: Catalogue, entry: Answer<'trail.list'>['rows'][number]): string {
  const { actor, action, person, target, reason, details } = entry;
  const { actors } = words;
  const ofNobody = actor.id ? actors.erased : actors.nobody;
  const role = typeof details['role'] === 'string' ? details['role'] : '';
  const sentence = say(words.trail[action], {
    actor: actor.name ?? (actor.kind === 'host' || actor.kind === 'service' ? actors[actor.kind] : ofNobody),
    person: person ? (person.name ?? actors.erased) : actors.nobody,
    target: target.name ?? `a ${target.kind}`,
    reason: reason ?? '',
    role: Object.hasOwn(words.roles, role) ? words.roles[role as keyof typeof words.roles] : role,
  });
  // What it was done to, where the sentence does not name it.
  const thing = ['serial', 'label', 'name'].map((fact) => details[fact]).find((fact) => typeof fact === 'string');
  return thing === undefined || thing === '' || sentence.includes(thing) ? sentence : `${sentence} (${thing})`;
}
