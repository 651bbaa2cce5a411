#include "page/problem.hpp"

#include <hopcoil/base/problems.hpp>
#include <hopcoil/io/file_problems.hpp>
#include <hopcoil/scene/run.hpp>

namespace hopcoil::page {
namespace {

Json places_of(const io::InputProblems& problems) {
    Json places = Json::array();
    for (const io::Problem& each : problems.problems()) {
        places.push_back({{"file", each.position.file},
                          {"line", each.position.line},
                          {"column", each.position.column},
                          {"key", each.key},
                          {"message", each.message}});
    }
    return places;
}

}  // namespace

Json problem_json(int status, const std::string& message) {
    return {{"problem", {{"status", status}, {"message", message}}}};
}

Answered answer_for(const std::exception_ptr& thrown) {
    const auto answer = [](int status, const std::exception& what) {
        return Answered{status, problem_json(status, what.what())};
    };
    try {
        std::rethrow_exception(thrown);
    } catch (const RequestProblem& problem) {
        return answer(problem.status(), problem);
    } catch (const io::InputProblems& problems) {
        Answered answered = answer(unprocessable, problems);
        answered.body["problem"]["places"] = places_of(problems);
        return answered;
    } catch (const io::FileProblem& problem) {
        return answer(unprocessable, problem);
    } catch (const scene::Diverged& problem) {
        return answer(unprocessable, problem);
    } catch (const std::invalid_argument& problem) {
        return answer(bad_request, problem);
    } catch (const std::bad_alloc&) {
        return {failed, problem_json(failed, "out of memory; ask for fewer frames")};
    } catch (const std::exception& problem) {
        return answer(failed, problem);
    } catch (...) {
        return {failed, problem_json(failed, "something unknown went wrong")};
    }
}

}  // namespace hopcoil::page
