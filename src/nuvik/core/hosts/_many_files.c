/* Very many small files: looking at all entries of a folder, reading files whole, and writing them with their marks.
 *
 * Each does in one call, without holding Python's lock, what Nuvik else does file by file. Nuvik works without it:
 * it is built where a C compiler is at hand when Nuvik is installed (see hatch_build.py).
 */

#define _GNU_SOURCE /* O_DIRECT, O_NOATIME */
#define Py_LIMITED_API 0x030B0000
#define PY_SSIZE_T_CLEAN
#include <Python.h>

#include <dirent.h>
#include <errno.h>
#include <fcntl.h>
#include <pthread.h>
#include <signal.h>
#include <stdint.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>
#include <sys/types.h>
#include <unistd.h>
#if defined(__linux__)
#include <linux/fs.h>
#include <sys/ioctl.h>
#include <sys/xattr.h>
#define CARRIED_FLAGS (FS_SYNC_FL | FS_NODUMP_FL | FS_NOATIME_FL | FS_DIRSYNC_FL) /* as in syscalls.py */
#define FIXED_FLAGS (FS_IMMUTABLE_FL | FS_APPEND_FL)
#endif

#ifndef O_DIRECT
#define O_DIRECT 0
#endif
#ifndef O_NOATIME
#define O_NOATIME 0
#endif

#define PAGE 4096
#define MOST_HELPERS 15

#if defined(__APPLE__)
#define ACCESSED st_atimespec
#define CHANGED st_mtimespec
#define ALTERED st_ctimespec
#else
#define ACCESSED st_atim
#define CHANGED st_mtim
#define ALTERED st_ctim
#endif

/* Beyond what 64 bits hold (the years 1677 to 2262) it is the bound: checks refuse such times by name. */
static int64_t nanoseconds(struct timespec moment) {
    if (moment.tv_sec >= INT64_MAX / 1000000000) return INT64_MAX;
    if (moment.tv_sec <= INT64_MIN / 1000000000) return INT64_MIN;
    return (int64_t)moment.tv_sec * 1000000000 + moment.tv_nsec;
}

/* (mode, size, user, group, accessed, changed, altered, device, inode, names, blocks) */
static PyObject *facts_of(const struct stat *facts) {
    return Py_BuildValue(
        "(IlIIlllKKll)", (unsigned int)facts->st_mode, (long)facts->st_size, (unsigned int)facts->st_uid,
        (unsigned int)facts->st_gid, (long)nanoseconds(facts->ACCESSED), (long)nanoseconds(facts->CHANGED),
        (long)nanoseconds(facts->ALTERED), (unsigned long long)facts->st_dev, (unsigned long long)facts->st_ino,
        (long)facts->st_nlink, (long)facts->st_blocks);
}

/* -- looking ------------------------------------------------------------------------------------------------------ */

typedef struct {
    char *name;
    int fault;
    struct stat facts;
} Entry;

static int by_name(const void *one, const void *other) {
    return strcmp(((const Entry *)one)->name, ((const Entry *)other)->name);
}

static void forget(Entry *entries, size_t count) {
    for (size_t number = 0; number < count; number++) free(entries[number].name);
    free(entries);
}

/* All entries of an open folder; 0, or an error number. */
static int look(int folder, Entry **entries, size_t *count) {
    size_t room = 0;
    int fault = 0, again = openat(folder, ".", O_RDONLY | O_DIRECTORY | O_CLOEXEC);
    DIR *listing = again < 0 ? NULL : fdopendir(again);
    struct dirent *item;
    if (listing == NULL) {
        fault = errno;
        if (again >= 0) close(again);
        return fault;
    }
    for (;;) {
        errno = 0;
        item = readdir(listing);
        if (item == NULL) {
            fault = errno;
            break;
        }
        if (strcmp(item->d_name, ".") == 0 || strcmp(item->d_name, "..") == 0) continue;
        if (*count == room) {
            Entry *larger = realloc(*entries, (room = room ? room * 2 : 64) * sizeof(Entry));
            if (larger == NULL) {
                fault = ENOMEM;
                break;
            }
            *entries = larger;
        }
        Entry *entry = *entries + *count;
        entry->name = strdup(item->d_name);
        if (entry->name == NULL) {
            fault = ENOMEM;
            break;
        }
        (*count)++;
        entry->fault = fstatat(folder, item->d_name, &entry->facts, AT_SYMLINK_NOFOLLOW) ? errno : 0;
    }
    closedir(listing);
    if (*count) qsort(*entries, *count, sizeof(Entry), by_name);
    return fault;
}

/* A value made of a tuple, of a type that is a tuple with names. Steals the reference to the tuple. */
static PyObject *named(PyObject *make, PyObject *type, PyObject *plain) {
    PyObject *value = plain ? PyObject_CallFunctionObjArgs(make, type, plain, NULL) : NULL;
    Py_XDECREF(plain);
    return value;
}

/* A small number that is likely the same for the next file: one value serves all of them. A new reference. */
typedef struct {
    unsigned long number;
    PyObject *value;
} Shared;

static PyObject *shared(Shared *last, unsigned long number) {
    if (last->value == NULL || last->number != number) {
        Py_XDECREF(last->value);
        last->number = number;
        last->value = PyLong_FromUnsignedLong(number);
    }
    Py_XINCREF(last->value);
    return last->value;
}

typedef struct {
    PyObject *make, *kind; /* tuple.__new__, and the word for a file */
    Shared mode, user, group;
} Common;

/* The record of a file that has one name, by its path in the library; NULL with an error set. */
static PyObject *record_of(Common *common, PyObject *type, PyObject *path, const struct stat *facts) {
    char which[48];
    const int length = snprintf(
        which, sizeof(which), "%llu:%llu", (unsigned long long)facts->st_dev, (unsigned long long)facts->st_ino);
    const int64_t accessed = nanoseconds(facts->ACCESSED), changed = nanoseconds(facts->CHANGED),
                  altered = nanoseconds(facts->ALTERED);
    PyObject *moment = PyLong_FromLongLong(changed); /* often the same for all three */
    PyObject *fields[] = {
        Py_NewRef(path),
        Py_NewRef(common->kind),
        PyLong_FromLongLong(facts->st_size),
        shared(&common->mode, facts->st_mode & 07777),
        shared(&common->user, facts->st_uid),
        shared(&common->group, facts->st_gid),
        accessed == changed ? Py_XNewRef(moment) : PyLong_FromLongLong(accessed),
        moment,
        altered == changed ? Py_XNewRef(moment) : PyLong_FromLongLong(altered),
        PyUnicode_FromStringAndSize(which, length),
        Py_NewRef(Py_None),
        Py_NewRef(Py_None),
        Py_NewRef(Py_None),
        Py_NewRef(Py_None),
        Py_NewRef(Py_False),
        Py_NewRef(Py_None),
    };
    const Py_ssize_t count = sizeof(fields) / sizeof(fields[0]);
    PyObject *plain = PyTuple_New(count);
    for (Py_ssize_t number = 0; number < count; number++) {
        if (plain == NULL || fields[number] == NULL) {
            Py_XDECREF(fields[number]);
            Py_CLEAR(plain);
        } else {
            PyTuple_SetItem(plain, number, fields[number]);
        }
    }
    return named(common->make, type, plain);
}

/* What is in a folder, sorted into the lists and the dictionary of holes; 0, or -1 with an error set. */
static int sort_out(
    const Entry *entries, size_t count, PyObject *above, PyObject *record_type, PyObject *facts_type, PyObject *files,
    PyObject *others, PyObject *holes) {
    Common common = {
        PyObject_GetAttrString((PyObject *)&PyTuple_Type, "__new__"), PyUnicode_FromString("file"), {0}, {0}, {0}};
    int good = common.make != NULL && common.kind != NULL;
    for (size_t number = 0; good && number < count; number++) {
        const Entry *entry = &entries[number];
        PyObject *name = PyUnicode_DecodeFSDefault(entry->name), *path = NULL, *item = NULL, *facts;
        if (name != NULL && !entry->fault && S_ISREG(entry->facts.st_mode) && entry->facts.st_nlink == 1) {
            const long long missing = (long long)entry->facts.st_size - (long long)entry->facts.st_blocks * 512;
            path = PyUnicode_Concat(above, name);
            item = path ? record_of(&common, record_type, path, &entry->facts) : NULL;
            good = item != NULL && PyList_Append(files, item) == 0;
            if (good && missing > 0) {
                PyObject *bytes = PyLong_FromLongLong(missing);
                good = bytes != NULL && PyDict_SetItem(holes, path, bytes) == 0;
                Py_XDECREF(bytes);
            }
        } else if (name != NULL) {
            facts = entry->fault ? PyLong_FromLong(entry->fault)
                                 : named(common.make, facts_type, facts_of(&entry->facts));
            item = facts ? PyTuple_Pack(2, name, facts) : NULL;
            Py_XDECREF(facts);
            good = item != NULL && PyList_Append(others, item) == 0;
        } else {
            good = 0;
        }
        Py_XDECREF(name);
        Py_XDECREF(path);
        Py_XDECREF(item);
    }
    Py_XDECREF(common.make);
    Py_XDECREF(common.kind);
    Py_XDECREF(common.mode.value);
    Py_XDECREF(common.user.value);
    Py_XDECREF(common.group.value);
    return good ? 0 : -1;
}

/* list_entries(folder, what paths in it begin with, type of records, type of facts)
 * -> ([record of each file that has one name, ...], [(name, facts or an error number) of anything else, ...],
 *     {path of a file with holes: by how many bytes it is longer than what it holds}) */
static PyObject *list_entries(PyObject *self, PyObject *words) {
    int folder, fault, good;
    Entry *entries = NULL;
    size_t count = 0;
    PyObject *above, *record_type, *facts_type, *files, *others, *holes, *result = NULL;
    (void)self;
    if (!PyArg_ParseTuple(words, "iUOO", &folder, &above, &record_type, &facts_type)) return NULL;
    Py_BEGIN_ALLOW_THREADS
    fault = look(folder, &entries, &count);
    Py_END_ALLOW_THREADS
    if (fault) {
        forget(entries, count);
        errno = fault;
        return PyErr_SetFromErrno(PyExc_OSError);
    }
    files = PyList_New(0);
    others = PyList_New(0);
    holes = PyDict_New();
    good = files != NULL && others != NULL && holes != NULL &&
           sort_out(entries, count, above, record_type, facts_type, files, others, holes) == 0;
    if (good) result = PyTuple_Pack(3, files, others, holes);
    Py_XDECREF(files);
    Py_XDECREF(others);
    Py_XDECREF(holes);
    forget(entries, count);
    return result;
}

/* -- reading ------------------------------------------------------------------------------------------------------ */

#if defined(__linux__)
static unsigned int flags_of(int file) {
    unsigned int flags[4] = {0, 0, 0, 0}; /* the call is made for a long and fills an int */
    return ioctl(file, FS_IOC_GETFLAGS, flags) == 0 ? flags[0] : 0;
}
#endif

static int has_attributes(int file) {
#if defined(__linux__)
    return flistxattr(file, NULL, 0) > 0 || (flags_of(file) & CARRIED_FLAGS) != 0;
#else
    (void)file;
    return 1; /* not known here: the plain way looks */
#endif
}

static void forget_cached(int file) {
#if defined(POSIX_FADV_DONTNEED)
    posix_fadvise(file, 0, 0, POSIX_FADV_DONTNEED);
#else
    (void)file;
#endif
}

/* Read up to `wanted` bytes from the beginning; the number got, or -1. */
static ssize_t read_all(int file, char *buffer, size_t wanted, int direct) {
    size_t got = 0;
    while (got < wanted) {
        size_t most = direct ? (wanted - got + PAGE - 1) / PAGE * PAGE : wanted - got;
        ssize_t more = pread(file, buffer + got, most, (off_t)got);
        if (more < 0 && errno == EINTR) continue;
        if (more < 0) return -1;
        got += (size_t)more;
        if (more == 0 || direct) break;
    }
    return (ssize_t)(got < wanted ? got : wanted);
}

static int open_to_read(int folder, const char *name, int past_cache, int *direct) {
    const int plain = O_RDONLY | O_NOFOLLOW | O_CLOEXEC | O_NONBLOCK;
    int file = -1;
    *direct = 0;
    if (past_cache && O_DIRECT) {
        file = openat(folder, name, plain | O_DIRECT | O_NOATIME);
        if (file >= 0) {
            *direct = 1;
        } else if (errno != EINVAL && errno != EPERM && errno != ENOTSUP) {
            return -1;
        }
    }
    if (file < 0) file = openat(folder, name, plain | O_NOATIME);
    if (file < 0 && errno == EPERM) file = openat(folder, name, plain); /* only the owner may leave its time alone */
    if (file >= 0 && past_cache) forget_cached(file);
    return file;
}

typedef struct {
    int folder, fault, attributes;
    PyObject *held;
    const char *name;
    char *contents; /* NULL when it is no small file without holes */
    ssize_t length;
} Reading;

static void read_small(Reading *job, int64_t most, int past_cache) {
    struct stat facts;
    int direct = 0, file = open_to_read(job->folder, job->name, past_cache, &direct);
    if (file < 0 || fstat(file, &facts)) {
        job->fault = errno;
    } else {
        job->attributes = has_attributes(file);
        if (S_ISREG(facts.st_mode) && facts.st_size <= most &&
            facts.st_blocks * 512 >= facts.st_size) {
            size_t size = (size_t)facts.st_size, room = (size / PAGE + 1) * PAGE;
            void *buffer = NULL;
            if (posix_memalign(&buffer, PAGE, room)) {
                job->fault = ENOMEM;
            } else {
                job->contents = buffer;
                job->length = read_all(file, buffer, size, direct);
                if (direct && (job->length < 0 || (size_t)job->length < size)) {
                    /* What is read directly cannot always be continued. */
                    int flags = fcntl(file, F_GETFL);
                    if (flags >= 0 && fcntl(file, F_SETFL, flags & ~O_DIRECT) == 0) {
                        job->length = read_all(file, buffer, size, 0);
                    }
                }
                if (job->length < 0) job->fault = errno;
            }
        }
    }
    if (file >= 0) close(file);
}

/* The bytes of a name, which the job holds until it is done; -1 with an error set. */
static int hold_name(PyObject *name, PyObject **held, const char **bytes) {
    *held = PyUnicode_EncodeFSDefault(name);
    if (*held == NULL || (*bytes = PyBytes_AsString(*held)) == NULL) return -1;
    if (strlen(*bytes) == (size_t)PyBytes_Size(*held)) return 0;
    PyErr_SetString(PyExc_ValueError, "embedded null character");
    return -1;
}

/* -- several at a time --------------------------------------------------------------------------------------------- */

typedef struct {
    void (*work)(void *batch, size_t number);
    void *batch;
    size_t count, next;
    pthread_mutex_t lock;
} Flight;

static void *fly(void *given) {
    Flight *flight = given;
    for (;;) {
        size_t number;
        pthread_mutex_lock(&flight->lock);
        number = flight->next++;
        pthread_mutex_unlock(&flight->lock);
        if (number >= flight->count) return NULL;
        flight->work(flight->batch, number);
    }
}

/* Do every job of a batch, `width` at a time. */
static void all(void (*work)(void *, size_t), void *batch, size_t count, int width) {
    pthread_t helpers[MOST_HELPERS];
    int helping = 0;
    Flight flight = {work, batch, count, 0, PTHREAD_MUTEX_INITIALIZER};
    while (helping < width - 1 && helping < MOST_HELPERS && (size_t)helping + 1 < count) {
        if (pthread_create(&helpers[helping], NULL, fly, &flight)) break;
        helping++;
    }
    fly(&flight);
    while (helping) pthread_join(helpers[--helping], NULL);
    pthread_mutex_destroy(&flight.lock);
}

typedef struct {
    Reading *jobs;
    int64_t most;
    int past_cache;
} ReadBatch;

static void read_one(void *given, size_t number) {
    ReadBatch *batch = given;
    read_small(&batch->jobs[number], batch->most, batch->past_cache);
}

static void forget_readings(Reading *jobs, Py_ssize_t count) {
    for (Py_ssize_t number = 0; number < count; number++) {
        free(jobs[number].contents);
        Py_XDECREF(jobs[number].held);
    }
    free(jobs);
}

static PyObject *reading_result(const Reading *job) {
    if (job->fault) return PyLong_FromLong(job->fault);
    PyObject *attributes = job->attributes ? Py_True : Py_False;
    if (job->contents == NULL) return Py_BuildValue("(OO)", Py_None, attributes);
    return Py_BuildValue("(y#O)", job->contents, (Py_ssize_t)job->length, attributes);
}

/* read_many([(folder, name), ...], most bytes, past cache, width)
 * -> [(contents or None, whether it has attributes), or an error number, ...] */
static PyObject *read_many(PyObject *self, PyObject *words) {
    PyObject *asked, *results = NULL;
    long long most;
    int past_cache, width;
    Py_ssize_t count;
    ReadBatch batch;
    (void)self;
    if (!PyArg_ParseTuple(words, "OLpi", &asked, &most, &past_cache, &width)) return NULL;
    if ((count = PyList_Size(asked)) < 0) return NULL;
    batch.jobs = calloc((size_t)count + 1, sizeof(Reading));
    if (batch.jobs == NULL) return PyErr_NoMemory();
    batch.most = most;
    batch.past_cache = past_cache;
    for (Py_ssize_t number = 0; number < count; number++) {
        Reading *job = &batch.jobs[number];
        PyObject *name;
        if (!PyArg_ParseTuple(PyList_GetItem(asked, number), "iU", &job->folder, &name) ||
            hold_name(name, &job->held, &job->name)) {
            forget_readings(batch.jobs, count);
            return NULL;
        }
    }
    Py_BEGIN_ALLOW_THREADS
    all(read_one, &batch, (size_t)count, width);
    Py_END_ALLOW_THREADS
    results = PyList_New(count);
    for (Py_ssize_t number = 0; results != NULL && number < count; number++) {
        PyObject *result = reading_result(&batch.jobs[number]);
        if (result == NULL || PyList_SetItem(results, number, result) < 0) Py_CLEAR(results);
    }
    forget_readings(batch.jobs, count);
    return results;
}

/* -- writing ------------------------------------------------------------------------------------------------------ */

typedef struct {
    unsigned int mode, user, group;
    long long accessed, changed;
    int owned, flush; /* whether owner and mode are given, and whether it is written to the medium at once */
} Marks;

static int write_all(int file, const char *data, size_t length) {
    while (length) {
        ssize_t written = write(file, data, length);
        if (written < 0 && errno == EINTR) continue;
        if (written < 0) return -1;
        data += written;
        length -= (size_t)written;
    }
    return 0;
}

static struct timespec moment_of(long long count) {
    struct timespec moment;
    long long rest = count % 1000000000;
    if (rest < 0) rest += 1000000000;
    moment.tv_nsec = (long)rest;
    moment.tv_sec = (time_t)((count - rest) / 1000000000);
    return moment;
}

/* Give an open file its marks: owner, then mode, then times. */
static int give_marks(int file, const Marks *marks) {
    struct timespec moments[2];
    struct stat facts;
    if (marks->owned) {
        if (fstat(file, &facts)) return -1;
        if (facts.st_uid != marks->user || facts.st_gid != marks->group) {
            /* A group may be out of reach: then that mark is looked at afterwards. */
            if (fchown(file, marks->user, marks->group) && (errno != EPERM || facts.st_uid != marks->user)) return -1;
        }
        if (fchmod(file, (mode_t)marks->mode)) return -1;
    }
    moments[0] = moment_of(marks->accessed);
    moments[1] = moment_of(marks->changed);
    return futimens(file, moments);
}

typedef struct {
    int folder, fault, marked;
    PyObject *held;
    const char *name, *contents;
    Py_ssize_t length;
    Marks marks;
} Writing;

/* Whether a file has its marks, but for the bits of its mode; -1: that could not be told. */
static int is_marked(int file, const Marks *marks) {
    struct stat facts;
    if (fstat(file, &facts)) return -1;
    if (nanoseconds(facts.CHANGED) != marks->changed) return 0;
    return !marks->owned || (facts.st_uid == marks->user && facts.st_gid == marks->group);
}

static void write_small(Writing *job) {
    int file = openat(job->folder, job->name, O_WRONLY | O_CREAT | O_EXCL | O_NOFOLLOW | O_CLOEXEC, 0600);
    if (file < 0 || write_all(file, job->contents, (size_t)job->length)) {
        job->fault = errno;
    } else {
        const int attributes = has_attributes(file);
        if (!attributes && give_marks(file, &job->marks)) job->fault = errno;
        if (!job->fault && job->marks.flush && fsync(file)) job->fault = errno;
        if (!job->fault && (job->marked = attributes ? 0 : is_marked(file, &job->marks)) < 0) job->fault = errno;
    }
    if (file >= 0 && close(file) && !job->fault) job->fault = errno;
}

static void write_one(void *given, size_t number) { write_small((Writing *)given + number); }

static void forget_writings(Writing *jobs, Py_ssize_t count) {
    for (Py_ssize_t number = 0; number < count; number++) Py_XDECREF(jobs[number].held);
    free(jobs);
}

/* write_many([(folder, name, contents, mode, user, group, accessed, changed, owned, flush), ...], width)
 * -> [whether it has its marks: a file that came with attributes still has to get them; or an error number, ...] */
static PyObject *write_many(PyObject *self, PyObject *words) {
    PyObject *asked, *results;
    int width;
    Py_ssize_t count;
    Writing *jobs;
    (void)self;
    if (!PyArg_ParseTuple(words, "Oi", &asked, &width)) return NULL;
    if ((count = PyList_Size(asked)) < 0) return NULL;
    jobs = calloc((size_t)count + 1, sizeof(Writing));
    if (jobs == NULL) return PyErr_NoMemory();
    for (Py_ssize_t number = 0; number < count; number++) {
        Writing *job = &jobs[number];
        PyObject *name;
        if (!PyArg_ParseTuple(
                PyList_GetItem(asked, number), "iUy#IIILLpp", &job->folder, &name, &job->contents, &job->length,
                &job->marks.mode, &job->marks.user, &job->marks.group, &job->marks.accessed, &job->marks.changed,
                &job->marks.owned, &job->marks.flush) ||
            hold_name(name, &job->held, &job->name)) {
            forget_writings(jobs, count);
            return NULL;
        }
    }
    Py_BEGIN_ALLOW_THREADS
    all(write_one, jobs, (size_t)count, width);
    Py_END_ALLOW_THREADS
    results = PyList_New(count);
    for (Py_ssize_t number = 0; results != NULL && number < count; number++) {
        const Writing *job = &jobs[number];
        PyObject *result = job->fault ? PyLong_FromLong(job->fault) : PyBool_FromLong(job->marked);
        if (result == NULL || PyList_SetItem(results, number, result) < 0) Py_CLEAR(results);
    }
    forget_writings(jobs, count);
    return results;
}

/* -- looking inside -------------------------------------------------------------------------------------------------- */

#if defined(__linux__)

enum { NOT_WRITTEN, WRITTEN, NOT_KNOWN };

/* Whether anybody may write to an open file, as `syscalls.is_written_elsewhere`; the lease ends when it is closed. */
static int written_elsewhere(int file) {
    if (fcntl(file, F_SETSIG, SIGURG) || fcntl(file, F_SETLEASE, F_RDLCK)) return errno == EAGAIN ? WRITTEN : NOT_KNOWN;
    return NOT_WRITTEN;
}

typedef struct {
    int folder, only_written, fault, written, attributes;
    PyObject *held;
    const char *name;
    unsigned int flags;
} Inside;

static void look_inside(void *given, size_t number) {
    Inside *job = (Inside *)given + number;
    struct stat facts;
    int file = openat(job->folder, job->name, O_RDONLY | O_NOFOLLOW | O_CLOEXEC | O_NONBLOCK);
    if (file < 0 || fstat(file, &facts)) {
        job->fault = errno;
    } else {
        if (!job->only_written) {
            job->flags = flags_of(file);
            job->attributes = (job->flags & CARRIED_FLAGS) != 0 || flistxattr(file, NULL, 0) > 0;
        }
        job->written = S_ISREG(facts.st_mode) ? written_elsewhere(file) : NOT_KNOWN;
    }
    if (file >= 0) close(file);
}

static int is_usual(const Inside *job) {
    return !job->fault && job->written != WRITTEN && !job->attributes && !(job->flags & FIXED_FLAGS);
}

static void forget_insides(Inside *jobs, Py_ssize_t count) {
    for (Py_ssize_t number = 0; number < count; number++) Py_XDECREF(jobs[number].held);
    free(jobs);
}

/* look_many(folder, [name, ...], whether only writers are looked for, width)
 * -> [(name, (flags, 0 not written, 1 written, 2 not known, has attributes), or an error number), ...]
 * of those only of which there is anything to say. */
static PyObject *look_many(PyObject *self, PyObject *words) {
    PyObject *names, *results;
    int folder, only_written, width;
    Py_ssize_t count;
    Inside *jobs;
    (void)self;
    if (!PyArg_ParseTuple(words, "iOpi", &folder, &names, &only_written, &width)) return NULL;
    if ((count = PyList_Size(names)) < 0) return NULL;
    jobs = calloc((size_t)count + 1, sizeof(Inside));
    if (jobs == NULL) return PyErr_NoMemory();
    for (Py_ssize_t number = 0; number < count; number++) {
        jobs[number].folder = folder;
        jobs[number].only_written = only_written;
        if (hold_name(PyList_GetItem(names, number), &jobs[number].held, &jobs[number].name)) {
            forget_insides(jobs, count);
            return NULL;
        }
    }
    Py_BEGIN_ALLOW_THREADS
    all(look_inside, jobs, (size_t)count, width);
    Py_END_ALLOW_THREADS
    results = PyList_New(0);
    for (Py_ssize_t number = 0; results != NULL && number < count; number++) {
        const Inside *job = &jobs[number];
        PyObject *name = PyList_GetItem(names, number), *result;
        if (is_usual(job)) continue;
        result = job->fault ? Py_BuildValue("(Oi)", name, job->fault)
                            : Py_BuildValue("(O(Iii))", name, job->flags, job->written, job->attributes);
        if (result == NULL || PyList_Append(results, result) < 0) Py_CLEAR(results);
        Py_XDECREF(result);
    }
    forget_insides(jobs, count);
    return results;
}

#endif

/* -- removing ------------------------------------------------------------------------------------------------------ */

typedef struct {
    PyObject *held;
    const char *name, *which;       /* `which` is empty where anything of that name may go */
    long long size, changed;        /* a size below zero: neither counts */
} Going;

static int is_as_expected(int folder, const Going *going, int *gone) {
    struct stat facts;
    char which[48];
    if (fstatat(folder, going->name, &facts, AT_SYMLINK_NOFOLLOW)) return errno == ENOENT ? (*gone = 1, 0) : -1;
    snprintf(which, sizeof(which), "%llu:%llu", (unsigned long long)facts.st_dev, (unsigned long long)facts.st_ino);
    if (strcmp(which, going->which)) return 0;
    return going->size < 0 || (facts.st_size == going->size && nanoseconds(facts.CHANGED) == going->changed);
}

static void forget_goings(Going *jobs, Py_ssize_t count) {
    for (Py_ssize_t number = 0; number < count; number++) Py_XDECREF(jobs[number].held);
    free(jobs);
}

/* remove_many(folder, [(name, which file or empty, size or -1, changed), ...])
 * -> (how many were dealt with, 0 or the error number of the next); what is not as expected stays. */
static PyObject *remove_many(PyObject *self, PyObject *words) {
    PyObject *asked;
    int folder, fault = 0;
    Py_ssize_t count, done = 0;
    Going *jobs;
    (void)self;
    if (!PyArg_ParseTuple(words, "iO", &folder, &asked)) return NULL;
    if ((count = PyList_Size(asked)) < 0) return NULL;
    jobs = calloc((size_t)count + 1, sizeof(Going));
    if (jobs == NULL) return PyErr_NoMemory();
    for (Py_ssize_t number = 0; number < count; number++) {
        Going *job = &jobs[number];
        PyObject *name;
        if (!PyArg_ParseTuple(
                PyList_GetItem(asked, number), "UsLL", &name, &job->which, &job->size, &job->changed) ||
            hold_name(name, &job->held, &job->name)) {
            forget_goings(jobs, count);
            return NULL;
        }
    }
    Py_BEGIN_ALLOW_THREADS
    for (; done < count; done++) {
        int gone = 0, good = *jobs[done].which ? is_as_expected(folder, &jobs[done], &gone) : 1;
        if (good < 0 || (good > 0 && unlinkat(folder, jobs[done].name, 0))) {
            fault = errno;
            break;
        }
    }
    Py_END_ALLOW_THREADS
    forget_goings(jobs, count);
    return Py_BuildValue("(ni)", done, fault);
}

static PyMethodDef methods[] = {
    {"list_entries", list_entries, METH_VARARGS, "What is in an open folder, in the order of the bytes of the names."},
    {"read_many", read_many, METH_VARARGS, "The contents of files that are small and have no holes."},
#if defined(__linux__)
    {"look_many", look_many, METH_VARARGS, "What only opening files and folders tells of them."},
#endif
    {"remove_many", remove_many, METH_VARARGS, "Remove files and links that are as they were looked at."},
    {"write_many", write_many, METH_VARARGS, "Write new files with their marks."},
    {NULL, NULL, 0, NULL},
};

static struct PyModuleDef module = {PyModuleDef_HEAD_INIT, "_many_files", NULL, -1, methods, NULL, NULL, NULL, NULL};

PyMODINIT_FUNC PyInit__many_files(void) { return PyModule_Create(&module); }
