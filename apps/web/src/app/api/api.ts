import { HttpClient, HttpErrorResponse, HttpEventType } from '@angular/common/http';
import { inject, Injectable } from '@angular/core';
import type {
  AnswerOf,
  AssetDetail,
  AssetSummary,
  BodyOf,
  BringIn,
  ChangeRow,
  DeliverRequest,
  EncodingSettings,
  IslandEditRequest,
  JobInfo,
  LowAgain,
  UnwrapRequest,
  Manifest,
  MeasureRecipe,
  MeasureRequest,
  MendRequest,
  ParamsOf,
  PRIORITIES,
  ProveRequest,
  Route,
  SavedRecipe,
  SetGroups,
  StorageInfo,
  LevelEditRequest,
  TransferRequest,
  Uploaded,
} from '@estampe/contracts';
import { addressOf, errorBodySchema, ROUTES } from '@estampe/contracts';
import type { Observable } from 'rxjs';
import { filter, map } from 'rxjs';

/** Changes of a task that need no more than its name. */
const JOB_CHANGES = { cancel: ROUTES.cancel, pause: ROUTES.pause, resume: ROUTES.resume, retry: ROUTES.retry, first: ROUTES.first };
/** What can be asked of a job. */
export type JobChange = keyof typeof JOB_CHANGES | keyof typeof PRIORITIES;

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

/** Progress of an upload, then what the server made of it. */
export type UploadStep = { readonly fraction: number } | { readonly uploaded: Uploaded };

/** What a request brings along: the variable parts of its address, which part of an asset is meant (null for the first), and a body. */
type Given<R extends Route> = {
  readonly params: ParamsOf<R>;
  readonly query?: Readonly<Record<string, string | null>>;
} & (BodyOf<R> extends undefined ? object : { readonly body: BodyOf<R, 'input'> });

/** Stamp of the part that a change was made from. */
type Seen = string | null;

/** The server's API; every answer is checked. */
@Injectable({ providedIn: 'root' })
export class Api {
  private readonly http = inject(HttpClient);

  private ask<R extends Route>(route: R, { params, query, ...rest }: Given<R>): Observable<AnswerOf<R>> {
    const body: unknown = 'body' in rest ? rest.body : route.method === 'post' ? {} : undefined;
    return this.http
      .request(route.method, addressOf(route, params, query), { body })
      .pipe(map((answer) => route.answer?.parse(answer) as AnswerOf<R>));
  }

  assets(): Observable<AssetSummary[]> {
    return this.ask(ROUTES.assets, { params: {} });
  }
  /** An asset seen through a part; null for its first. */
  asset(id: string, part: string | null): Observable<AssetDetail> {
    return this.ask(ROUTES.asset, { params: { id }, query: { part } });
  }
  upload(file: File): Observable<UploadStep> {
    return this.http
      .put(addressOf(ROUTES.upload, {}, { name: file.name }), file, {
        reportProgress: true,
        observe: 'events',
        headers: { 'Content-Type': ROUTES.upload.takes },
      })
      .pipe(
        map((event): UploadStep | null => {
          if (event.type === HttpEventType.UploadProgress) return { fraction: event.loaded / (event.total ?? file.size) };
          if (event.type === HttpEventType.Response) return { uploaded: ROUTES.upload.answer.parse(event.body) };
          return null;
        }),
        filter((step) => step !== null),
      );
  }
  /** Renames an asset, removes it, or brings it back. */
  changeAsset(id: string, body: ChangeRow): Observable<unknown> {
    return this.ask(ROUTES.changeAsset, { params: { id }, body });
  }
  changePart(id: string, body: ChangeRow): Observable<unknown> {
    return this.ask(ROUTES.changePart, { params: { id }, body });
  }
  bringIn(body: BringIn): Observable<JobInfo> {
    return this.ask(ROUTES.bringIn, { params: {}, body });
  }
  bringLowAgain(id: string, part: string, seen: Seen, body: LowAgain): Observable<JobInfo> {
    return this.ask(ROUTES.bringLowAgain, { params: { id }, query: { part, seen }, body });
  }
  unwrap(id: string, part: string, seen: Seen, body: UnwrapRequest): Observable<JobInfo> {
    return this.ask(ROUTES.unwrap, { params: { id }, query: { part, seen }, body });
  }
  mend(id: string, part: string, seen: Seen, body: MendRequest): Observable<JobInfo> {
    return this.ask(ROUTES.mend, { params: { id }, query: { part, seen }, body });
  }
  editIslands(id: string, seen: Seen, body: IslandEditRequest): Observable<JobInfo> {
    return this.ask(ROUTES.editIslands, { params: { id }, query: { seen }, body });
  }
  split(id: string, seen: Seen): Observable<JobInfo> {
    return this.ask(ROUTES.split, { params: { id }, query: { seen } });
  }
  editLevels(id: string, seen: Seen, body: LevelEditRequest): Observable<JobInfo> {
    return this.ask(ROUTES.editLevels, { params: { id }, query: { seen }, body });
  }
  transfer(id: string, seen: Seen, body: TransferRequest): Observable<JobInfo> {
    return this.ask(ROUTES.transfer, { params: { id }, query: { seen }, body });
  }
  setGroups(id: string, seen: Seen, body: SetGroups): Observable<unknown> {
    return this.ask(ROUTES.setGroups, { params: { id }, query: { seen }, body });
  }
  goToState(id: string, seen: Seen, place: number): Observable<unknown> {
    return this.ask(ROUTES.goToState, { params: { id }, query: { seen }, body: { place } });
  }
  extract(id: string, part: string, body: MeasureRequest): Observable<JobInfo> {
    return this.ask(ROUTES.extract, { params: { id }, query: { part }, body });
  }
  keepRecipe(id: string, body: MeasureRequest): Observable<unknown> {
    return this.ask(ROUTES.keepRecipe, { params: { id }, body });
  }
  /** @returns the version that the encoding has now */
  saveEncoding(id: string, encoding: EncodingSettings, basedOn: number): Observable<number> {
    return this.ask(ROUTES.saveEncoding, { params: { id }, body: { encoding, basedOn } }).pipe(map(({ version }) => version));
  }
  prove(id: string, encoding: EncodingSettings, request: ProveRequest): Observable<JobInfo> {
    return this.ask(ROUTES.prove, { params: { id }, body: { encoding, ...request } });
  }
  study(id: string): Observable<JobInfo> {
    return this.ask(ROUTES.study, { params: { id } });
  }
  deliver(id: string, part: string, body: DeliverRequest): Observable<JobInfo> {
    return this.ask(ROUTES.deliver, { params: { id }, query: { part }, body });
  }
  manifest(id: string): Observable<Manifest> {
    return this.ask(ROUTES.manifest, { params: { id } });
  }
  recipes(): Observable<SavedRecipe[]> {
    return this.ask(ROUTES.recipes, { params: {} });
  }
  saveRecipe(body: MeasureRecipe): Observable<SavedRecipe> {
    return this.ask(ROUTES.saveRecipe, { params: {}, body });
  }
  removeRecipe(id: string): Observable<unknown> {
    return this.ask(ROUTES.removeRecipe, { params: { id } });
  }
  useRecipe(assetId: string, recipeId: string | null): Observable<unknown> {
    return this.ask(ROUTES.useRecipe, { params: { id: assetId }, body: { recipeId } });
  }
  storage(): Observable<StorageInfo> {
    return this.ask(ROUTES.storage, { params: {} });
  }
  freeStorage(): Observable<StorageInfo> {
    return this.ask(ROUTES.freeStorage, { params: {} });
  }
  jobs(): Observable<JobInfo[]> {
    return this.ask(ROUTES.jobs, { params: {} });
  }
  changeJob(id: string, change: JobChange): Observable<JobInfo> {
    return change in JOB_CHANGES
      ? this.ask(JOB_CHANGES[change as keyof typeof JOB_CHANGES], { params: { id } })
      : this.ask(ROUTES.priority, { params: { id }, body: { priority: change as keyof typeof PRIORITIES } });
  }
}
