import { HttpClient, HttpErrorResponse, HttpEventType } from '@angular/common/http';
import { inject, Injectable } from '@angular/core';
import type {
  AssetDetail,
  AssetSummary,
  BringIn,
  DeliverRequest,
  EncodingSettings,
  JobInfo,
  LowAgain,
  Manifest,
  MeasureRecipe,
  MeasureRequest,
  ProveRequest,
  SavedRecipe,
  Uploaded,
} from '@estampe/contracts';
import {
  assetSchema,
  assetSummarySchema,
  errorBodySchema,
  jobSchema,
  manifestSchema,
  PRIORITIES,
  savedRecipeSchema,
  uploadedSchema,
} from '@estampe/contracts';
import type { Observable } from 'rxjs';
import { filter, map } from 'rxjs';
import * as z from 'zod';

/** What can be asked of a job. */
export type JobChange = 'cancel' | 'pause' | 'resume' | 'retry' | 'first' | keyof typeof PRIORITIES;

/** One sentence for the screen out of whatever a request failed with. */
export function sentenceOf(error: unknown): string {
  if (error instanceof HttpErrorResponse) {
    const body = errorBodySchema.safeParse(error.error);
    if (body.success) return body.data.message;
    return 'The server does not answer; check that it runs, then try again. Nothing is lost.';
  }
  return error instanceof Error ? error.message : String(error);
}

/** Whether the server kept somebody else's newer version instead. */
export function isConflict(error: unknown): boolean {
  return error instanceof HttpErrorResponse && errorBodySchema.safeParse(error.error).data?.code === 'CONFLICT';
}

const partQuery = (partId: string | null): string => (partId === null ? '' : `?part=${partId}`);

const savedSchema = z.object({ version: z.number().int() });

/** Progress of an upload, then what the server made of it. */
export type UploadStep = { readonly fraction: number } | { readonly uploaded: Uploaded };

/** The server's API; every answer is checked. */
@Injectable({ providedIn: 'root' })
export class Api {
  private readonly http = inject(HttpClient);

  assets(): Observable<AssetSummary[]> {
    return this.http.get('/api/assets').pipe(map((body) => z.array(assetSummarySchema).parse(body)));
  }
  /** An asset seen through a part; null for its first. */
  asset(id: string, partId: string | null): Observable<AssetDetail> {
    return this.http.get(`/api/assets/${id}${partQuery(partId)}`).pipe(map((body) => assetSchema.parse(body)));
  }
  upload(file: File): Observable<UploadStep> {
    return this.http
      .put(`/api/uploads?name=${encodeURIComponent(file.name)}`, file, {
        reportProgress: true,
        observe: 'events',
        headers: { 'Content-Type': 'application/octet-stream' },
      })
      .pipe(
        map((event): UploadStep | null => {
          if (event.type === HttpEventType.UploadProgress) return { fraction: event.loaded / (event.total ?? file.size) };
          if (event.type === HttpEventType.Response) return { uploaded: uploadedSchema.parse(event.body) };
          return null;
        }),
        filter((step) => step !== null),
      );
  }
  bringIn(request: BringIn): Observable<JobInfo> {
    return this.start('/api/assets', request);
  }
  bringLowAgain(assetId: string, partId: string, request: LowAgain): Observable<JobInfo> {
    return this.start(`/api/assets/${assetId}/low${partQuery(partId)}`, request);
  }
  extract(assetId: string, partId: string, request: MeasureRequest): Observable<JobInfo> {
    return this.start(`/api/assets/${assetId}/spans${partQuery(partId)}`, request);
  }
  keepRecipe(partId: string, recipe: MeasureRequest): Observable<unknown> {
    return this.http.put(`/api/parts/${partId}/recipe`, recipe);
  }
  /** @returns the version that the encoding has now */
  saveEncoding(spanId: string, encoding: EncodingSettings, basedOn: number): Observable<number> {
    return this.http.put(`/api/spans/${spanId}/encoding`, { encoding, basedOn }).pipe(map((body) => savedSchema.parse(body).version));
  }
  prove(spanId: string, encoding: EncodingSettings, request: ProveRequest): Observable<JobInfo> {
    return this.start(`/api/spans/${spanId}/proofs`, { encoding, ...request });
  }
  study(proofId: string): Observable<JobInfo> {
    return this.start(`/api/proofs/${proofId}/study`, {});
  }
  deliver(assetId: string, partId: string, request: DeliverRequest): Observable<JobInfo> {
    return this.start(`/api/assets/${assetId}/deliveries${partQuery(partId)}`, request);
  }
  manifest(deliveryId: string): Observable<Manifest> {
    return this.http.get(`/api/deliveries/${deliveryId}/manifest`).pipe(map((body) => manifestSchema.parse(body)));
  }
  private start(url: string, body: object): Observable<JobInfo> {
    return this.http.post(url, body).pipe(map((answer) => jobSchema.parse(answer)));
  }
  recipes(): Observable<SavedRecipe[]> {
    return this.http.get('/api/recipes').pipe(map((body) => z.array(savedRecipeSchema).parse(body)));
  }
  saveRecipe(recipe: MeasureRecipe): Observable<SavedRecipe> {
    return this.http.post('/api/recipes', recipe).pipe(map((body) => savedRecipeSchema.parse(body)));
  }
  removeRecipe(id: string): Observable<unknown> {
    return this.http.delete(`/api/recipes/${id}`);
  }
  jobs(): Observable<JobInfo[]> {
    return this.http.get('/api/jobs').pipe(map((body) => z.array(jobSchema).parse(body)));
  }
  changeJob(jobId: string, change: JobChange): Observable<JobInfo> {
    const job = `/api/jobs/${jobId}`;
    const answer = change in PRIORITIES ? this.http.put(`${job}/priority`, { priority: change }) : this.http.post(`${job}/${change}`, {});
    return answer.pipe(map((body) => jobSchema.parse(body)));
  }
}
