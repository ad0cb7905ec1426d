import Sequencer from '@jest/test-sequencer';

/** On a new machine Jest knows no times and goes by sizes of files: the suite that runs many specs would come last, alone. */
export default class ManyFirst extends Sequencer {
  sort(tests) {
    const isMany = (test) => test.path.includes('/together/');
    const sorted = super.sort(tests);
    return [...sorted.filter(isMany), ...sorted.filter((test) => !isMany(test))];
  }
}
