import { inject, Injectable, signal } from '@angular/core';
import type { EncodingSettings } from '@estampe/contracts';
import { addressOf, ROUTES } from '@estampe/contracts';
import type { DepthFigures, FieldAnswers, FieldRequest, Histogram, Lens, LoadedField, Marks, Swatch } from '../workers/field-messages';
import { WorkerCalls } from '../workers/worker-calls';
import { FIELD_WORKER } from '../workers/worker-tokens';

/** Fields for Sheet and Gauge, by id; fits and figures are computed beside them in a worker. */
@Injectable({ providedIn: 'root' })
export class FieldStore {
  private readonly fields = new Map<string, Promise<LoadedField>>();
  private readonly loaded = signal<ReadonlySet<string>>(new Set());
  /** Fields that are here as a whole. */
  readonly loadedIds = this.loaded.asReadonly();
  // figures are made of what the worker holds, so a new worker must load it again
  private readonly calls = new WorkerCalls(inject(FIELD_WORKER), () => {
    this.fields.clear();
    this.loaded.set(new Set());
  });

  load(fieldId: string): Promise<LoadedField> {
    let field = this.fields.get(fieldId);
    if (field === undefined) {
      field = this.ask<'load'>({ type: 'load', fieldId, url: addressOf(ROUTES.fieldData, { id: fieldId }) });
      field.then(
        () => this.loaded.update((ids) => new Set(ids).add(fieldId)),
        () => this.fields.delete(fieldId),
      );
      this.fields.set(fieldId, field);
    }
    return field;
  }

  async fit(
    fieldIds: readonly string[],
    wish: Omit<Extract<FieldRequest, { type: 'fit' }>, 'id' | 'type' | 'fieldIds'>,
  ): Promise<FieldAnswers['fit']> {
    await Promise.all(fieldIds.map((id) => this.load(id)));
    return this.ask<'fit'>({ type: 'fit', fieldIds, ...wish });
  }

  /** How the values of a field are spread, channels in the order that they are stored in. */
  async spread(fieldId: string, axes: string): Promise<Histogram> {
    const { histogram } = await this.load(fieldId);
    return axes === '' ? histogram : this.ask<'spread'>({ type: 'spread', fieldId, axes });
  }

  async figures(fieldIds: readonly string[], encoding: EncodingSettings): Promise<DepthFigures> {
    await Promise.all(fieldIds.map((id) => this.load(id)));
    return this.ask<'figures'>({ type: 'figures', fieldIds, encoding });
  }

  async lens(fieldIds: readonly string[], encoding: EncodingSettings): Promise<Lens> {
    await Promise.all(fieldIds.map((id) => this.load(id)));
    return this.ask<'lens'>({ type: 'lens', fieldIds, encoding });
  }

  async swatch(fieldId: string, encodings: readonly EncodingSettings[]): Promise<Swatch | null> {
    await this.load(fieldId);
    return this.ask<'swatch'>({ type: 'swatch', fieldId, encodings });
  }

  async marks(fieldId: string, encoding: EncodingSettings | null): Promise<Marks> {
    await this.load(fieldId);
    return this.ask<'marks'>({ type: 'marks', fieldId, encoding });
  }

  private async ask<K extends keyof FieldAnswers>(
    request: Omit<Extract<FieldRequest, { readonly type: K }>, 'id'>,
  ): Promise<FieldAnswers[K]> {
    return (await this.calls.ask<{ answer: FieldAnswers[K] }>(request)).answer;
  }
}
