/**
 * Whether the person of the pass `v` of the authenticator `a` has a factor of their own in use since it was given: one that was
 * enrolled, or proved something. From then on it counts no more, whether its end was carried out yet or not.
 */
export const HAS_FACTOR_AGAIN = `EXISTS (SELECT 1 FROM authenticators o WHERE o.person_id = a.person_id AND o.state = 'active'
  AND o.method NOT IN ('password', 'pass', 'recovery') AND (o.activated_at > v.given_at OR o.last_used_at > v.given_at))`;
