"""What copies would cost: trials, curves, predictions, choices."""

# Of sets of trials. 2: detail kept is measured; older sets are run again. Here, where the first list of the shelf finds it at no cost.
TRIALS_VERSION = 2
