import { say, type Answer } from '@nimble-latch/api';
import type { Session } from '../context.js';
import { facts, paragraph, table } from '../render/table.js';
import { words } from '../words/index.js';
import { confirm, done, show, withSession, type Noun } from './support.js';

const w = words.keys.domain;
type Party = Answer<'relyingParty.show'>;

function describe(session: Session, party: Party): string {
  const parts = [
    facts(
      [
        [w.headings.domain, party.chosen ? party.rpId : say(w.notChosen, { domain: party.rpId })],
        [w.headings.choices, party.choices.map(({ rpId }) => rpId).join(', ') || words.facts.none],
        [w.headings.keys, String(party.keys)],
        ...(party.keysElsewhere > 0 ? ([[w.headings.elsewhere, String(party.keysElsewhere)]] as const) : []),
        [w.headings.ownPages, party.origin],
        ...(party.appId === null ? [] : ([[w.headings.appId, party.appId]] as const)),
        ...(party.origins.some(({ related }) => related) ? ([[w.headings.document, party.document]] as const) : []),
      ],
      session,
    ),
  ];
  if (party.origins.length > 0)
    parts.push(
      table(
        party.origins,
        [
          { heading: w.headings.application, cell: (row) => row.application, flexible: true },
          { heading: w.headings.origin, cell: (row) => row.origin },
          { heading: w.headings.lies, cell: (row) => (row.related ? w.outside : w.within) },
        ],
        session,
      ),
    );
  if (party.problem) parts.push(`${say(w.problems[party.problem], { host: party.host })}\n`);
  if (party.relatedLabels > party.relatedLabelsMost)
    parts.push(`${say(w.tooManyLabels, { labels: party.relatedLabels, most: party.relatedLabelsMost })}\n`);
  return parts.join('\n');
}

function meaning(review: Answer<'relyingParty.review'>): string {
  const { orphaned, people, withoutAnother, broughtBack, wider } = review;
  return [
    orphaned > 0 ? say(w.means, { orphaned, people, withoutAnother }) : w.meansNothing,
    ...(broughtBack > 0 ? [say(w.broughtBack, { broughtBack })] : []),
    ...(wider ? [w.wider] : []),
  ].join('\n');
}

export const keyDomain: Noun = (command, context) => {
  command
    .command('show')
    .description(w.help.show)
    .action(
      withSession(context, async (session) => {
        const party = await session.client.call('relyingParty.show');
        show(session, party, () => paragraph(describe(session, party), session));
      }),
    );
  command
    .command('set <domain>')
    .description(w.help.set)
    .option('--app-id <address>', w.options.appId)
    .option('--dry-run', words.options.dryRun)
    .option('--yes', words.options.yes)
    .action(
      withSession(
        context,
        async (session, rpId: string, options: { appId?: string; dryRun?: boolean; yes?: boolean }) => {
          const party = await session.client.call('relyingParty.show');
          const review = await session.client.call('relyingParty.review', { body: { rpId } });
          if (options.dryRun) return show(session, review, () => `${meaning(review)}\n`);
          if (rpId !== party.rpId && !(await confirm(session, meaning(review), options.yes))) return;
          const appId = options.appId === undefined ? party.appId : options.appId === 'none' ? null : options.appId;
          const answer = await session.client.call('relyingParty.edit', {
            body: { rpId, appId, orphaned: review.orphaned },
            ifMatch: party.version,
          });
          done(session, answer, say(w.changed, { domain: answer.rpId }));
        },
      ),
    );
};
