"""The Reckoner's arithmetic: sheets of quantities bound by relations, solved in whichever direction is asked."""
