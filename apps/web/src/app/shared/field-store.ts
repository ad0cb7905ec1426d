import { inject, Injectable, signal } from '@angular/core';
import type { EncodingSettings, FieldInfo } from '@estampe/contracts';
import { addressOf, ROUTES } from '@estampe/contracts';
import { fieldSamples } from '@estampe/core';
import type { DepthFigures, FieldAnswers, FieldRequest, Histogram, Lens, LoadedField, Marks, Swatch } from '../workers/field-messages';
import { channelsOfField, endsOfField } from './field-ends';
import { WorkerCalls } from '../workers/worker-calls';
import { FIELD_WORKER } from '../workers/worker-tokens';

/** Texels in memory above which fields that are not asked about any more are let go. */
const MOST_TEXELS = 2 ** 25;

/** What is needed of a field to look for texels of note. */
export type MarkedField = Pick<FieldInfo, 'id' | 'bytes' | 'missed' | 'doubtful' | 'mended' | 'ends'>;

interface Held {
  readonly here: Promise<unknown>;
  /** Null where it is a sample. */
  readonly whole: Promise<LoadedField> | null;
  readonly texels: number;
}

/** Fields for Sheet and Gauge; fits and figures are computed beside them in a worker. Of maps that are too large to be held, ranges are chosen from a
 *  sample of their rows. */
@Injectable({ providedIn: 'root' })
export class FieldStore {
  /** What the worker holds, by id, in the order in which it was asked about. */
  private readonly held = new Map<string, Held>();
  private asking = 0;
  private readonly loaded = signal<ReadonlySet<string>>(new Set());
  /** Fields that are here, whole or as a sample. */
  readonly loadedIds = this.loaded.asReadonly();
  // figures are made of what the worker holds, so a new worker must load it again
  private readonly calls = new WorkerCalls(inject(FIELD_WORKER), () => {
    this.held.clear();
    this.loaded.set(new Set());
  });

  /** All of a field. */
  load(info: FieldInfo): Promise<LoadedField> {
    const { id } = info;
    const known = this.held.get(id)?.whole ?? null;
    if (known !== null) return known;
    const whole = this.ask<'load'>({ type: 'load', fieldId: id, url: dataOf(id) });
    this.hold(id, { here: whole, whole, texels: info.width * info.height });
    return whole;
  }

  fit(
    fields: readonly FieldInfo[],
    wish: Omit<Extract<FieldRequest, { type: 'fit' }>, 'id' | 'type' | 'fieldIds'>,
  ): Promise<FieldAnswers['fit']> {
    return this.with(fields, (fieldIds) => this.ask<'fit'>({ type: 'fit', fieldIds, ...wish }));
  }

  /** How the values of a field are spread, channels in the order that they are stored in. */
  async spread(info: FieldInfo, axes: string): Promise<Histogram> {
    const { histogram } = await this.load(info);
    return axes === '' ? histogram : this.ask<'spread'>({ type: 'spread', fieldId: info.id, axes });
  }

  figures(fields: readonly FieldInfo[], encoding: EncodingSettings): Promise<DepthFigures> {
    return this.with(fields, (fieldIds) => this.ask<'figures'>({ type: 'figures', fieldIds, encoding }));
  }

  lens(fields: readonly FieldInfo[], encoding: EncodingSettings): Promise<Lens> {
    return this.with(fields, (fieldIds) => this.ask<'lens'>({ type: 'lens', fieldIds, encoding }));
  }

  /** Of the first of a map's fields. */
  swatch(fields: readonly FieldInfo[], encodings: readonly EncodingSettings[]): Promise<Swatch | null> {
    return this.with(fields, ([fieldId]) => this.ask<'swatch'>({ type: 'swatch', fieldId, encodings }));
  }

  marks({ id, bytes, missed, doubtful, mended, ends }: MarkedField, encoding: EncodingSettings | null): Promise<Marks> {
    const ofNote = missed + doubtful + mended;
    return this.ask<'marks'>({ type: 'marks', fieldId: id, url: dataOf(id), bytes, ofNote, ends, encoding });
  }

  /** Asks about all fields of a map once they are here, or as much of them as can be held. */
  private async with<R>(fields: readonly FieldInfo[], ask: (fieldIds: readonly string[]) => Promise<R>): Promise<R> {
    const samples = fieldSamples(
      fields.map((f) => ({ width: f.width, height: f.height, channels: channelsOfField(f), ends: endsOfField(f) })),
    );
    this.asking++;
    try {
      for (const [i, info] of fields.entries()) {
        const { id, bytes } = info;
        const held = this.held.get(id);
        if (held !== undefined) this.touch(id, held);
        else if (samples === null) void this.load(info);
        else {
          const { every } = samples[i];
          const here = this.ask<'sample'>({ type: 'sample', fieldId: id, url: dataOf(id), bytes, sample: samples[i] });
          this.hold(id, { here, whole: null, texels: (info.width * info.height) / every });
        }
      }
      const ids = fields.map(({ id }) => id);
      await Promise.all(ids.flatMap((id) => this.held.get(id)?.here ?? []));
      return await ask(ids);
    } finally {
      this.asking--;
      if (this.asking === 0) this.letGo(new Set(fields.map(({ id }) => id)));
    }
  }

  /** Notes that a field was asked about last of all. */
  private touch(id: string, held: Held): void {
    this.held.delete(id);
    this.held.set(id, held);
  }
  private hold(id: string, held: Held): void {
    this.touch(id, held);
    // what is held now may be another answer, of a sample or of a worker that came after
    const ifStill = (then: () => void) => (): void => {
      if (this.held.get(id) === held) then();
    };
    held.here.then(
      ifStill(() => this.loaded.update((ids) => new Set(ids).add(id))),
      ifStill(() => this.drop([id])),
    );
  }

  private letGo(wanted: ReadonlySet<string>): void {
    let texels = 0;
    for (const held of this.held.values()) texels += held.texels;
    const gone: string[] = [];
    for (const [id, held] of this.held) {
      if (texels <= MOST_TEXELS) break;
      if (wanted.has(id)) continue;
      gone.push(id);
      texels -= held.texels;
    }
    if (gone.length === 0) return;
    this.drop(gone);
    // a worker that has ended holds nothing any more
    this.ask<'forget'>({ type: 'forget', fieldIds: gone }).catch(() => undefined);
  }

  private drop(ids: readonly string[]): void {
    for (const id of ids) this.held.delete(id);
    this.loaded.update((all) => new Set([...all].filter((id) => this.held.has(id))));
  }

  private async ask<K extends keyof FieldAnswers>(
    request: Omit<Extract<FieldRequest, { readonly type: K }>, 'id'>,
  ): Promise<FieldAnswers[K]> {
    return (await this.calls.ask<{ answer: FieldAnswers[K] }>(request)).answer;
  }
}

const dataOf = (fieldId: string): string => addressOf(ROUTES.fieldData, { id: fieldId });
