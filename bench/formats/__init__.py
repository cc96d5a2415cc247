"""What every format holds, as programs that had no part in writing it find it."""
