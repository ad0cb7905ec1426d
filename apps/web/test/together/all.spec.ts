declare const SPECS: readonly string[];

// Angular's templates are compiled once for all of them, which is most of what a suite of one costs
for (const file of SPECS)
  describe(file.slice(file.indexOf('/src/') + 1), () => {
    jest.requireActual(file);
  });
