// node scripts/drill.mjs kill|load|workers|tiles: what the application survives, with figures. Needs `npm run build`. Uses a database of its own under DRILL_DIR.
//   kill  fifteen jobs, once in peace and then again and again while server, worker and database are killed at random moments, until they were
//         killed fifty times in all (DRILL_KILLS); the content hashes must be the same
//   workers  one run of tiles by one worker, by two, and by two of which one is killed: times, and what a tile costs the database
//   load  fifty uploads at once, while 200 pages listen, 20 of them without reading, and a pass tells them of itself; the server's memory is watched
//   tiles  heights of a hundred tiles, measured by two workers while a page's requests come a hundred times a second: paused, resumed, one worker killed;
//         how soon requests are answered, what the database holds (DRILL_SIZE texels a side)
import { pgScript } from './drill/installation.mjs';
import { kill } from './drill/kill.mjs';
import { load } from './drill/load.mjs';
import { tiles } from './drill/tiles.mjs';
import { workers } from './drill/workers.mjs';

try {
  await ({ load, workers, tiles }[process.argv[2]] ?? kill)();
} finally {
  pgScript('stop');
}
process.exit();
