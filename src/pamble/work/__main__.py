"""`python -m pamble.work`: a worker."""

import sys

if __name__ == "__main__":
    # The processes that work is done in look at this module: what only the worker needs is imported here.
    from pamble.work.worker import main

    sys.exit(main())
