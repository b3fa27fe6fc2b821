import { condition, kept } from './spec.js';

/** How well this person knows the browser, where one is known. */
export const browser = condition({
  kind: 'browser',
  text: {
    key: 'browser',
    read: (value) => {
      const said = value.oneOf(['new', 'remembered']);
      return said ? { browser: said } : {};
    },
    write: (conditions) => conditions.browser,
    schema: { enum: ['new', 'remembered'] },
  },
  test: ({ browser: said }) => said && ((facts) => facts.browser === said),
  scope: (conditions) => conditions.browser,
  subsumes: (earlier, later) => earlier === undefined || earlier === later,
  record: (facts) => kept('browser', facts.browser),
});
