import type { ServerEvent } from '@estampe/contracts';
import type { JobRow } from '../db/models';
import type { PieceOfTile } from '../jobs/job-messages';

/** A piece as an event: it travels as text, and must stay below the 8000 bytes that NOTIFY carries. */
export function pieceEvent({ id, spanId }: JobRow, { data, ...piece }: PieceOfTile): ServerEvent {
  const bytes = Buffer.from(data.buffer, data.byteOffset, data.byteLength);
  return {
    type: 'piece',
    piece: { jobId: id, spanId: spanId ?? null, ...piece, rows: data.length / piece.width, data: bytes.toString('base64') },
  };
}
