"""The order of the visit: state, board and the dialog where tests are chosen."""
