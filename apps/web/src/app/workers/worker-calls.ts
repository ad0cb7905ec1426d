type Reply = { readonly id: number } & ({ readonly message: string } | object);

/** Questions to a worker and their answers, matched by number. The worker starts with the first question. */
export class WorkerCalls {
  private worker: Worker | null = null;
  private nextId = 1;
  private readonly waiting = new Map<number, { resolve: (reply: never) => void; reject: (error: Error) => void }>();

  /** @param lost is told when a worker ended, and with it everything that it held */
  constructor(
    private readonly spawn: () => Worker,
    private readonly lost: () => void = () => undefined,
  ) {}

  ask<R>(request: object): Promise<R> {
    const id = this.nextId++;
    return new Promise<R>((resolve, reject) => {
      this.waiting.set(id, { resolve, reject });
      this.started().postMessage({ ...request, id });
    });
  }

  private started(): Worker {
    if (this.worker) return this.worker;
    const worker = this.spawn();
    worker.onmessage = ({ data }: MessageEvent<Reply>) => {
      const call = this.waiting.get(data.id);
      this.waiting.delete(data.id);
      if ('message' in data) call?.reject(new Error(data.message));
      else call?.resolve(data as never);
    };
    worker.onerror = (event) => {
      for (const { reject } of this.waiting.values())
        reject(new Error(event.message || 'A worker of the page ended; load the page again.'));
      this.waiting.clear();
      this.worker = null;
      this.lost();
    };
    this.worker = worker;
    return worker;
  }
}
