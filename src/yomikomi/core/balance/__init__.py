"""What copies would cost: trials, curves, predictions, choices."""

# Of sets of trials. 2: detail kept is measured; 3: key pictures are counted apart. Older sets are run again. Here, where the first list of
# the shelf finds it at no cost.
TRIALS_VERSION = 3
