/** How long a test waits for what is to come, in milliseconds: only what never comes is to run into it, on slow machines too. */
export const PATIENCE = 300_000;
