/** What others use of the core. A name joins when somebody outside needs it. */
export { hasStrange, shownMessage, shownName } from './runtime/shown-text';
export { CancelledError, EstampeError, InvalidInputError, UnsupportedError, rebuildError, toErrorRecord } from './runtime/errors';
export type { ErrorCode, ErrorRecord } from './runtime/errors';
export { stopOf, subProgress, throwIfAborted } from './runtime/progress';
export type { RunControl } from './runtime/progress';
export { inlineThreads } from './runtime/threads';
export type { Kernel, Threads } from './runtime/threads';
export { diagonalOf } from './mesh/bounds';
export { meanEdgeLength } from './mesh/edge-length';
export { vertexNormals } from './mesh/normals';
export { normalsBeside } from './mesh/normals-beside';
export { cornerCount, DEFAULT_SECTION, faceCount, hasCompleteUvs, NO_INDEX, pointCount, polyMesh, requireUvs } from './mesh/poly-mesh';
export { aroundOrigin, localOriginOf, withOriginOf } from './mesh/local-origin';
export type { PolyMesh } from './mesh/poly-mesh';
export { surfaceVerts, triangleVerts, triangulate } from './mesh/triangulate';
export { countOf, DOUBTFUL, INSIDE, MENDED, MISSED, OUTSIDE, PADDING } from './raster/field';
export type { Field, Raster } from './raster/field';
export { fieldCounts, fieldCountsByThreads } from './raster/field-counts';
export type { Ends, FieldCounts } from './raster/field-counts';
export {
  asksRay,
  isDifference,
  channelsOf,
  displaces,
  hasAxes,
  heeds,
  holdsDirections,
  isFittable,
  MAP_KIND_NAMES,
  MAP_KINDS,
  MOVING_KINDS,
  SHADING_KINDS,
  traitsOf,
} from './raster/map-kinds';
export type { KindOption, MapKind, MovingKind, Quantity } from './raster/map-kinds';
export { frameOf, insideShare, RECORDED_FRAMES, sharesOverTiles } from './raster/map-record';
export type { MapRecord, RecordedFrame } from './raster/map-record';
export { BLOCK_SIDE, readPyramidBlock, readPyramidHead, writePyramid } from './formats/field-pyramid';
export type { Pyramid } from './formats/field-pyramid';
export { readSample, rowOfSample, fieldSamples, STRIP_ROWS } from './formats/field-sample';
export type { FieldSample } from './formats/field-sample';
export { openFieldRows } from './formats/field-rows';
export type { FieldRows } from './formats/field-rows';
export { cutField } from './raster/cut-field';
export { fieldSpread } from './raster/field-spread';
export { texelsHeld, tileOf, TilesByNeed } from './raster/raster-tiles';
export type { TileRasters, Tiles } from './raster/raster-tiles';
export { TEXEL_GRID, texelBlock } from './raster/texel-grid';
export { baseSurfaceAt, parseBase } from './subdivision/base-surface';
export type { Base } from './subdivision/base-surface';
export { coarserBy } from './subdivision/coarser';
export { limitPoints } from './subdivision/limit';
export { facesAfter, refinedFaceCount, refineLevels } from './subdivision/refine';
export { SURFACE_DEFAULTS } from './mesh/surface-rules';
export type { SurfaceOptions } from './mesh/surface-rules';
export { checkMesh, movedFinding } from './uv/check-mesh';
export { dropLoosePieces, turnFlipped, weldPoints } from './mesh/mends';
export { CRUMB_SHARE, MENDS, MEND_NAMES } from './uv/mend';
export type { MendName } from './uv/mend';
export { shiftIslands } from './uv/shift-islands';
export { unwrapAround } from './unwrap/unwrap-around';
export { LEAST_WEIGHT, MOST_WEIGHT, unwrap, UNWRAP_DEFAULTS } from './unwrap/unwrap';
export type { UnwrapOptions } from './unwrap/unwrap';
export { uvFigures } from './unwrap/uv-figures';
export type { UvFigures } from './unwrap/uv-figures';
export type { MeshCheck } from './uv/check-mesh';
export { faceTiles, tileOrigin, tilesInUse } from './uv/tiles';
export { uvLayers } from './uv/uv-layers';
export type { UvLayers } from './uv/uv-layers';
export { editIslands } from './uv/edit-islands';
export type { IslandEdit } from './uv/edit-islands';
export { islandsOf } from './uv/islands';
export type { Matrix } from './mesh/matrix';
export { determinant, IDENTITY, isIdentity, quaternion, scaling, times, translation, turnedNormals } from './mesh/matrix';
export { requireFinite } from './mesh/finite-mesh';
export { MARGIN_DEFAULTS } from './uv/check-islands';
export { toSegment } from './uv/margin';
export { uvRegions } from './uv/regions';
export { edgeRow, endsOfEdges, meshSeams, openEdges } from './uv/seams';
export type { MeshSeams } from './uv/seams';
export type { UvRegion } from './uv/regions';
export type { Section } from './mesh/poly-mesh';
export { buildRayBvh } from './spatial/bvh';
export { rayBvhByThreads } from './spatial/tree-by-threads';
export { LineQuery } from './spatial/ray';
export { EXTRACT_DEFAULTS, EXTRACT_RANGES, MAX_MAP_SIDE, samplesOf } from './extract/extract-options';
export type { ExtractOptions, VectorFrameKind } from './extract/extract-options';
export { extractTile } from './extract/extract-tile';
export type { BandOfTile, ExtractedTile } from './extract/extract-tile';
export { beginSpan, prepareSpan, prepareSpanBeside } from './extract/prepare-span';
export type { SpanSurfaces } from './extract/prepare-span';
export { texelBytes } from './extract/texel-bytes';
export { levelsByCount, levelsByFaces, stackLevel } from './extract/stack-match';
export type { SpanWork } from './extract/span-pair';
export { spanWork } from './extract/span-pair';
export { gainOverTiles } from './extract/bilinear-fit';
export type { FitGain } from './extract/bilinear-fit';
export { adviseOnRadius, radiusEdgesOf } from './extract/radius-advice';
export { adviseOnSheets } from './extract/sheets';
export { allAxisOrders, axisLetters, formatAxes, isMirrored, orderChannels, parseAxes, PLAIN_ORDER } from './encode/axis-order';
export type { AxisLetters, AxisOrder, AxisSource } from './encode/axis-order';
export { BlockQuery } from './spatial/blocked';
export { FRAME_RULE, frameRuleOf } from './frames/derivative-frames';
export type { FrameRule } from './frames/derivative-frames';
export { decodeMap, decodeStored, encodeField } from './encode/encode-field';
export type { EncodingFigures } from './encode/encode-field';
export {
  channelEncoding,
  decodeValue,
  ENCODING_RANGES,
  exactMidpoint,
  integerCode,
  isInteger,
  maxCode,
  NORMAL_RANGE,
  recordedRange,
  stepAt,
} from './encode/encoding';
export type { Depth, Encoding } from './encode/encoding';
export { figuresOverTiles } from './encode/figures-over-tiles';
export type { TileFigures } from './encode/figures-over-tiles';
export { extremesOf, fieldOfEnds } from './raster/extremes';
export { defaultFit, fitEncoding, fitRange, parseFit } from './encode/fit';
export { defaultFitOf, normalRange, proposedEncoding, UNIT_FIT } from './encode/proposed';
export type { ProposedEncoding } from './encode/proposed';
export { problemOf, requireUsable } from './encode/usable';
export { crackAtSeams } from './proof/cracked-mesh';
export { proveDisplacement } from './proof/prove-displacement';
export type { ProofOptions } from './proof/prove-displacement';
export { writeExr } from './formats/exr-write';
export type { ExrChannel } from './formats/exr-write';
export { LEGAL_DEPTHS, mapFormatOf, readField, readMap, writeField, writeMap } from './formats/map-file';
export type { MapFile, MapFormat } from './formats/map-file';
export { fieldRecordOf, recordToJson, writtenRecord } from './formats/map-record';
export type { WrittenRecord } from './formats/map-record';
export {
  CORE_MESH_CODECS,
  lossOf,
  MESH_ENDINGS,
  meshFormatNames,
  MESH_FORMATS,
  meshFormatOf,
  otherEndingAdvice,
  recogniseMesh,
  withoutMeshEnding,
} from './formats/mesh-file';
export type { MeshFormatId } from './formats/mesh-file';
export { ESTIMATE_BYTES, estimateMesh } from './formats/mesh-estimate';
export type { MeshCodec, MeshFile, MeshFormat, ReadMeshOptions, SceneFacts, WriteMeshOptions } from './formats/mesh-format';
export { SCENE_HEAD_BYTES, sceneOfHead } from './formats/scene-of-head';
export { madeOf, sortFiles } from './formats/sort-files';
export type { FileFacts, SortedPart } from './formats/sort-files';
export { connectivityCount } from './mesh/connectivity-count';
export { unusedName } from './runtime/unused-name';
export { boundsOf } from './mesh/bounds';
export { faceLinks, floodedFaces, grownFaces, shrunkFaces } from './mesh/face-links';
export type { FaceLinks, FloodStops } from './mesh/face-links';
export { faceGroups, groupRuns, groupsOfRuns, regrouped, renamedGroup, withGroups } from './mesh/groups';
export type { FaceGroups, GroupRuns } from './mesh/groups';
export { SectionTable } from './formats/section-table';
export { shareUvs } from './formats/shared-uvs';
export { weldEqual } from './formats/welded-points';
export { ByteWindow, wholeBytes } from './formats/byte-window';
export type { ByteSource, FileBytes } from './formats/byte-window';
export { readObj } from './formats/obj-read';
export { writeObj } from './formats/obj-write';
export { writePng } from './formats/png';
export { writeTiff } from './formats/tiff-write';
export type { Zlib } from './formats/zlib-port';
export { KERNELS } from './kernels';
export { assembleStack } from './extract/assemble-stack';
export { groupsOfSculpt } from './extract/groups-of-sculpt';
export { splitStack } from './subdivision/split-stack';
export { keepFaces } from './mesh/keep-faces';
export { relayRungs } from './extract/relay-rungs';
export { levelDetail } from './extract/level-detail';
export { meshWithin, packMesh, unpackMesh } from './formats/packed-mesh';
export { renderClay } from './picture/render-clay';
export { predictNoise } from './encode/predicted-noise';
export { ClosestQuery } from './spatial/closest';
export { closestDistances } from './spatial/closest-distances';
export type { NormalFigures } from './encode/encode-normals';
export { proveNormals } from './proof/prove-normals';
export type { NormalProofReport } from './proof/prove-normals';
export { fieldRecord, searchOf } from './extract/field-record';
export { encodeMap, mapFigures } from './encode/encode-map';
export type { MapConvention } from './encode/encode-map';
export { errorParts, stackBounds } from './proof/error-split';
export { kneeOf, SWEEP_FACES, sweepSubdivisions } from './proof/sweep';
export type { WorstPlace } from './proof/worst-places';
export { movedPoints } from './mesh/moved-points';
export { adviseOnNormals, adviseOnProof } from './proof/advice';
export { readBack } from './encode/read-back';
export {
  deliveringBytes,
  measuringBytes,
  provingBytes,
  readingBytes,
  recoveringBytes,
  refiningBytes,
  settlingBytes,
  transferringBytes,
} from './proof/memory';
export { encodingOf } from './encode/encoding-settings';
export { levelsNear, MOST_TRANSFER_LEVELS, TRANSFER_DEFAULTS, transferSculpt } from './transfer/transfer';
export type { TransferOptions } from './transfer/transfer';
export type { TransferFigures, TransferredLevel } from './transfer/transfer-level';
export { settleBase } from './transfer/settle';
export type { Grit, Settled } from './transfer/settle';
export { recoverLevels } from './transfer/recover';
export type { CoarseLevel, Recovered } from './transfer/recover';
export { quadsOf, transferTarget } from './transfer/target';
export type { TransferTarget } from './transfer/target';
export { BRUSH_TOOLS, LevelBrush, needsSculpt } from './transfer/brush';
export type { BrushTool, Stroke } from './transfer/brush';
export { compareLevel } from './transfer/compare-level';
export { levelFindings } from './transfer/level-findings';
export { PAIR_FINDINGS, pairFinding } from './transfer/pair-finding';
export type { Finding } from './uv/finding';
export type { ComparedLevel } from './transfer/compare-level';
export { addedLevel, raisedBase, withGroupsOf, withUvsOf } from './transfer/edit-levels';
