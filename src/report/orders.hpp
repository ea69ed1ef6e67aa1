#pragma once
// Orders as they are written, and what a page makes others from.

#include "inchtide/report/chapter.hpp"
#include "inchtide/study/orders.hpp"

namespace inchtide::report {

Json orders_json(const OrderList& list);

// What is held, at what prices, and what trading costs: `wealth`, `cash`, `smallest_order`, `cash_floor`, `in_lots`,
// `assets`, each with its `buy` and `sell`.
Json trading_json(const TradingNow& now);

}  // namespace inchtide::report
