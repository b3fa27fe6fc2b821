import { Link } from 'react-router';
import { TrailTable } from './trail-table.js';
import { Fold } from '../../frame/components/fold.js';
import { Banner } from '../../frame/components/layout.js';
import { say } from '../../frame/messages/index.js';
import { peopleWords } from '../people/messages/index.js';
import { call, troubleOf } from '../../frame/session/api.js';
import { useQuery } from '@tanstack/react-query';

const w = peopleWords.people;
const ROWS = 10;

/** What was done to one person, sign-ins apart, which stand above it. Reading it is itself written on the trail, hence it is shown when it is asked for. */
export function OwnTrail({ personId, name }: { personId: string; name: string }) {
  return (
    <Fold id="own-trail" title={w.trail} says={w.trailRead}>
      <OwnTrailShown personId={personId} name={name} />
    </Fold>
  );
}

function OwnTrailShown({ personId, name }: { personId: string; name: string }) {
  const { data, error } = useQuery({
    queryKey: ['own-trail', personId],
    queryFn: () => call('trail.list', { query: { person: personId, without: 'sign-in', limit: ROWS } }),
    staleTime: Infinity,
    refetchOnWindowFocus: false,
  });
  return (
    <>
      <Link to={`/trail?person=${personId}`}>{w.allTrail}</Link>
      {error && <Banner $tone="danger">{troubleOf(error)?.text}</Banner>}
      {data && <TrailTable rows={data.rows} label={say(w.whatDone, { name })} />}
    </>
  );
}
