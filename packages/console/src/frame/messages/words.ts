/** The shape that every language fills: the names of one, with sentences of its own. */
export type Words<T> = { readonly [K in keyof T]: T[K] extends string ? string : Words<T[K]> };
