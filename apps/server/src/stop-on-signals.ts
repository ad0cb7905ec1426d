/** Stops on the first SIGINT or SIGTERM and ends the process; a second one ends it at once. */
export function stopOnSignals(stop: () => Promise<void>): void {
  let stopping = false;
  for (const signal of ['SIGINT', 'SIGTERM'] as const)
    process.on(signal, () => {
      if (stopping) process.exit(1);
      stopping = true;
      void stop().then(() => process.exit(0));
    });
}
