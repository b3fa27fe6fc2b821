export * from './text.js';
export * from './columns.js';
export * from './person-row.js';
export * from './group-row.js';
export * from './phone.js';
export * from './plan-person.js';
export * from './row-index.js';
