import type { Client } from '@nimble-latch/api/client';

/** Everything that a command touches; handed in, so that it can be run without a process. */
export interface Context {
  readonly out: (text: string) => void;
  readonly err: (text: string) => void;
  /** Columns that output may take. */
  readonly width: number;
  readonly colour: boolean;
  readonly now: () => Date;
  readonly env: NodeJS.ProcessEnv;
  /** Asks a question: at a terminal, or the next line of standard input. */
  readonly ask: (question: string, options?: { hidden?: boolean }) => Promise<string>;
  readonly interactive: boolean;
}

/** Options that every command takes. */
export interface GlobalOptions {
  readonly server?: string;
  readonly json?: boolean;
}

/** A command's surroundings and the service it talks to. */
export interface Session extends Context {
  readonly client: Client;
  readonly json: boolean;
}
