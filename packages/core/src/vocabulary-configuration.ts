/** Words of configuration as one text. */

/** Parts of a configuration file, in the order in which they are brought in. */
export const CONFIG_PARTS = [
  'settings',
  'network',
  'group',
  'application',
  'connection',
  'methods',
  'rulebook',
] as const;
export type ConfigPart = (typeof CONFIG_PARTS)[number];

/** What such a file does to one thing. `only-here`: the file does not name it, and it stays. */
export const CONFIG_CHANGES = ['added', 'changed', 'same', 'only-here'] as const;
export type ConfigChange = (typeof CONFIG_CHANGES)[number];
