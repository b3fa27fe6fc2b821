import { useState } from 'react';
import { Link } from 'react-router';
import { TrailTable } from './trail-table.js';
import { Button } from '../../frame/components/button.js';
import { Banner, Section, Soft, Spread } from '../../frame/components/layout.js';
import { say } from '../../frame/messages/index.js';
import { peopleWords } from '../people/messages/index.js';
import { call, troubleOf } from '../../frame/session/api.js';
import { useQuery } from '@tanstack/react-query';

const w = peopleWords.people;
const ROWS = 10;

/** What was done to one person, sign-ins apart, which stand above it. Reading it is itself written on the trail, hence it is shown when it is asked for. */
export function OwnTrail({ personId, name }: { personId: string; name: string }) {
  const [wanted, setWanted] = useState(false);
  const { data, error } = useQuery({
    queryKey: ['own-trail', personId],
    queryFn: () => call('trail.list', { query: { person: personId, without: 'sign-in', limit: ROWS } }),
    enabled: wanted,
    staleTime: Infinity,
    refetchOnWindowFocus: false,
  });
  return (
    <Section aria-labelledby="own-trail">
      <Spread>
        <h2 id="own-trail">{w.trail}</h2>
        <Link to={`/trail?person=${personId}`}>{w.allTrail}</Link>
      </Spread>
      {!wanted && (
        <div>
          <Button onPress={() => setWanted(true)}>{w.showTrail}</Button> <Soft>{w.trailRead}</Soft>
        </div>
      )}
      {error && <Banner $tone="danger">{troubleOf(error)?.text}</Banner>}
      {data && <TrailTable rows={data.rows} label={say(w.whatDone, { name })} />}
    </Section>
  );
}
