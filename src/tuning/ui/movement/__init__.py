"""Movement: pictures and clips first, tests by eye behind them."""
