#include <iostream>
#include "kettle/trial/worker.h"
int main() { return kettle::WorkerMain(std::cin, std::cout, "/work/main/build/lib/standin"); }
