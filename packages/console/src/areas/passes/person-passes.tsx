import type { Answer } from '@nimble-latch/api';
import { useSearchParams } from 'react-router';
import { Button } from '../../frame/components/button.js';
import { Section, Spread } from '../../frame/components/layout.js';
import { useRead } from '../../frame/session/api.js';
import { useMayCall } from '../../frame/session/context.js';
import { GivePass } from './give-pass.js';
import { passesWords } from './messages/index.js';
import { PassTable } from './pass-table.js';

const w = passesWords.passes;

/** The passes of one person that have not ended, and the way to give one. */
export function PersonPasses({ person }: { person: Answer<'people.show'> }) {
  const may = useMayCall()('passes.give');
  const [query, setQuery] = useSearchParams();
  const { data } = useRead('passes.list', { query: { person: person.id, limit: 50 } });
  const setGiving = (on: boolean) => setQuery(on ? { pass: '' } : {}, { replace: true });
  const gives = may && person.state === 'active';
  const rows = data?.rows ?? [];
  if (!gives && rows.length === 0) return null;
  return (
    <Section aria-labelledby="passes">
      <Spread>
        <h2 id="passes">{w.ofPerson}</h2>
        {gives && (
          <Button calls="passes.give" onPress={() => setGiving(true)}>
            {w.give}
          </Button>
        )}
      </Spread>
      {rows.length === 0 ? <p>{w.none}</p> : <PassTable label={w.ofPerson} rows={rows} ofOne />}
      {query.has('pass') && <GivePass person={person} onClose={() => setGiving(false)} />}
    </Section>
  );
}
